#!/usr/bin/env python3
"""Makes or renews the catalogue of a language: what the window says, what the core says, what its tables say.

usage: tools/catalogue.py LANGUAGE      for instance de or pt_BR; a release build must stand in build/release

Writes app/resources/ivrin_LANGUAGE.ts; what was translated before stays. Edit it with any editor of Qt's catalogues,
then add it beside ivrin_en.ts in app/CMakeLists.txt and catalogues.qrc."""
import os
import pathlib
import re
import subprocess
import sys
import tempfile

ROOT = pathlib.Path(__file__).resolve().parent.parent
LITERAL = re.compile(r'"((?:[^"\\\n]|\\.)*)"')


def first_argument(text, at):
    """From after the bracket up to its first comma or its end, string literals kept whole."""
    depth, begin = 0, at
    while at < len(text):
        literal = LITERAL.match(text, at)
        if literal:
            at = literal.end()
            continue
        if text[at] in ")]}" and depth == 0 or text[at] == "," and depth == 0:
            break
        depth += (text[at] in "([{") - (text[at] in ")]}")
        at += 1
    return text[begin:at]


def marked(text):
    """What a file says through worded("…"), or through worded(which ? "…" : "…")."""
    for call in re.finditer(r"\bworded\(", text):
        argument = first_argument(text, call.end())
        for choice in re.split(r"[?:](?=\s*\")", argument):
            literals = LITERAL.findall(choice)
            if literals and LITERAL.match(choice.strip()):
                yield "".join(literals).encode().decode("unicode_escape").encode("latin-1").decode()


def core_sentences():
    found = set()
    for folder in ("core", "app/document"):
        for file in sorted((ROOT / folder).rglob("*")):
            if file.suffix in (".cpp", ".h"):
                found.update(marked(file.read_text()))
    return found


def table_words():
    with tempfile.TemporaryDirectory() as own:
        env = dict(os.environ, QT_QPA_PLATFORM="offscreen", XDG_RUNTIME_DIR=own, XDG_DATA_HOME=own, XDG_CONFIG_HOME=own)
        out = subprocess.run([ROOT / "build/release/bin/ivrin", "--words"], env=env, check=True, capture_output=True, text=True)
    return set(out.stdout.splitlines())


def main():
    if len(sys.argv) != 2 or not re.fullmatch(r"[a-z]{2,3}(_[A-Z]{2})?", sys.argv[1]):
        sys.exit(__doc__)
    target = ROOT / "app/resources" / f"ivrin_{sys.argv[1]}.ts"
    texts = sorted(core_sentences() | table_words())
    with tempfile.TemporaryDirectory() as folder:
        # lupdate knows its own mark alone.
        source = pathlib.Path(folder) / "core_words.cpp"
        quoted = (t.replace("\\", "\\\\").replace('"', '\\"') for t in texts)
        source.write_text("".join(f'auto t{i} = QT_TRANSLATE_NOOP("core", "{t}");\n' for i, t in enumerate(quoted)))
        subprocess.run(["/usr/lib/qt6/bin/lupdate", "-silent", "-locations", "none", "-I", str(ROOT), "-target-language", sys.argv[1],
                        str(ROOT / "app"), str(source), "-ts", str(target)], check=True)
    print(f"{target.relative_to(ROOT)}: {len(texts)} texts of the core, and those of the window")


if __name__ == "__main__":
    main()
