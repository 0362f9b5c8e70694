#!/usr/bin/env python3
"""Measures what the ornaments compute, through the command line alone: knows nothing of the code.

usage: tools/measure-sound.py IVRIN_CLI [--before IVRIN_CLI] [--pictures FOLDER]

Prints the table of docs/sound.md; with --before, of two versions side by side. Wants Debian's python3-numpy,
python3-scipy, python3-soundfile and, for the pictures, python3-matplotlib.
"""
import argparse
import json
import pathlib
import subprocess
import tempfile

import numpy as np
import soundfile
from scipy import signal

RATE = 48000
BEAT = RATE // 2  # frames, at 120
LATE = RATE // 100  # a knock comes so much after its source's begin, which is faded in
CHARACTERS = ["plate", "room", "hall"]


def db(x):
    return 20 * np.log10(np.maximum(np.abs(x), 1e-12))


def rms_db(x):
    return 10 * np.log10(np.mean(np.square(x)) + 1e-30)


class Lab:
    """Songs of one stem and one ornament, rendered by one version."""

    def __init__(self, cli):
        self.cli = cli
        self.folder = tempfile.TemporaryDirectory()

    def render(self, stem, kind, start, length, settings, finish=(), what="ornaments", seed=1, law=None):
        """The print (or the mix), both sides; nothing where this version refuses."""
        here = pathlib.Path(self.folder.name)
        soundfile.write(here / "stem.wav", stem, RATE, subtype="FLOAT")
        song = {"format": "ivrin-song", "version": 2, "title": "", "sample_rate": RATE, "start_seconds": 0.0,
                "key": None, "tempo": [{"at": 0, "bpm": 120}], "meter": [{"at": 0, "count": 4, "unit": 4}],
                "sections": [], "landings": [], "buses": [],
                "stems": [{"id": "v", "name": "v", "file": "stem.wav", "offset_seconds": 0, "gain_db": 0, "pan": 0,
                           "mute": False, "solo": False, "bus": None}],
                "mix": {"gain_db": 0, "ceiling_dbtp": -1.0, "limiter": what == "limited"},
                "ornaments": []}
        if law:
            song["hz_law"] = law
        if kind:
            song["ornaments"].append(
                {"id": "o1", "kind": kind, "on": "v", "start": start, "length": length, "name": "", "enabled": True,
                 "gain_db": 0, "seed": seed, "landing": None, "hears": "row", "source": None, "variant": "A",
                 "settings": settings, "finish": list(finish), "variants": []})
        (here / "song.ivrin").write_text(json.dumps(song))
        out = here / "out"
        subprocess.run(["rm", "-rf", out], check=True)
        run = subprocess.run([self.cli, "render", here / "song.ivrin", "--out", out, "--what",
                              "ornaments" if what == "ornaments" else "mix", "--format", "wav32f"],
                             capture_output=True, text=True)
        if run.returncode != 0:
            return None
        x, _ = soundfile.read(out / ("ornaments/o1.wav" if what == "ornaments" else "mix.wav"), always_2d=True)
        return x


def click(frames, left=1.0, right=1.0, at=LATE):
    x = np.zeros((frames, 2))
    x[at] = left, right
    return x


def sine(hz, seconds, level):
    t = np.arange(int(seconds * RATE)) / RATE
    return np.repeat((level * np.sin(2 * np.pi * hz * t))[:, None], 2, 1)


def band(x, low, high):
    """Exact, in the spectrum, with edges of a twelfth of an octave."""
    n = len(x) + RATE
    f = np.maximum(np.fft.rfftfreq(n, 1 / RATE), 1e-3)

    def edge(hz, sign):
        return 0.5 - 0.5 * np.cos(np.pi * np.clip(sign * np.log2(f / hz) * 12 + 0.5, 0, 1))

    mask = edge(low, 1) * edge(high, -1)
    return np.fft.irfft(np.fft.rfft(x, n, axis=0) * (mask[:, None] if x.ndim > 1 else mask), n, axis=0)[:len(x)]


def octave(x, hz, width=1.0):
    return band(x, hz * 2 ** (-width / 2), hz * 2 ** (width / 2))


def t30(x):
    energy = np.square(x).sum(1) if x.ndim > 1 else np.square(x)
    left = np.cumsum(energy[::-1])[::-1]
    level = 10 * np.log10(left / left[0] + 1e-30)
    at = np.flatnonzero((level < -5) & (level > -35))
    return -60 / np.polyfit(at / RATE, level[at], 1)[0]


def flatness(x):
    part = x[RATE // 2:RATE * 5 // 2]
    f = np.fft.rfftfreq(len(part), 1 / RATE)
    use = (f > 100) & (f < 16000)
    out = []
    for side in part.T:
        p = np.square(np.abs(np.fft.rfft(side)))[use] + 1e-30
        out.append(np.exp(np.mean(np.log(p))) / np.mean(p))
    return float(np.mean(out))


def cents(x, hz):
    """Deviation of a steady tone's pitch, RMS over pieces of 10 ms, by power."""
    piece = RATE // 100
    n = len(x) // piece
    t = np.arange(n * piece) / RATE
    z = (x[:n * piece] * np.exp(-2j * np.pi * hz * t)).reshape(n, piece).sum(1)
    turned = np.angle(z[1:] * np.conj(z[:-1])) / (2 * np.pi) / 0.01
    off = 1200 * np.log2(np.maximum(1, hz + turned) / hz)
    weight = np.abs(z[1:]) * np.abs(z[:-1])
    return float(np.sqrt(np.sum(weight * off ** 2) / np.sum(weight)))


def space(lab, character, stem=None, **settings):
    """What a space makes of a knock, or of what it is given, from the knock on."""
    stem = click(4 * BEAT) if stem is None else stem
    wanted = {"character": character, "tail_floor_db": -120, "low_cut_hz": None, "high_cut_hz": None, **settings}
    x = lab.render(stem, "reverb-throw", 0, len(stem) / BEAT, {k: v for k, v in wanted.items() if v is not None})
    return None if x is None else x[LATE:]


# ---------------------------------------------------------------- what is measured, a row each

def rows(lab):
    for c in CHARACTERS:
        worst = {}
        for movement in (20, 0):
            worst[movement] = min(
                flatness(space(lab, c, click(4 * BEAT, 1, 0), decay_seconds=d, size_percent=s, damping_percent=0,
                               modulation_percent=movement)) for d in (3, 8, 20) for s in (0, 50, 100))
        yield (f"{c}: flatness of the tail, the worst of 3 decays and 3 sizes, moving / still", "≥ 0.45 / 0.25",
               f"{worst[20]:.2f} / {worst[0]:.2f}")
        h = space(lab, c, decay_seconds=2.5)
        at = {hz: t30(octave(h, hz)) for hz in (125, 1000, 8000)}
        goal = {"plate": "0.55–0.7, 0.9–1.1", "room": "0.45–0.6, 0.9–1.1", "hall": "0.25–0.4, 1.15–1.4"}[c]
        yield (f"{c}: T30 at 8 kHz and 125 Hz against 1 kHz", goal,
               f"{at[8000] / at[1000]:.2f}, {at[125] / at[1000]:.2f}")
        start = h[:RATE // 10, 0]
        f, a = np.fft.rfftfreq(len(start), 1 / RATE), np.abs(np.fft.rfft(start))
        yield f"{c}: centroid of the first 100 ms", "plate > room > hall", f"{np.sum(f * a) / np.sum(a):.0f} Hz"
        bare = space(lab, c, decay_seconds=10, damping_percent=0)
        yield (f"{c}: undamped, T30 at 8, 12.5, 16 kHz against 10 s", "0.9–1.1",
               ", ".join(f"{t30(octave(bare, hz, 1 / 3)) / 10:.2f}" for hz in (8000, 12500, 16000)))
        held = space(lab, c, np.vstack([np.random.default_rng(1).normal(0, 0.1, (RATE, 2)), np.zeros((RATE, 2))]),
                     freeze=True, cut_at=56)
        loss = [rms_db(octave(held[2 * RATE:4 * RATE], hz)) - rms_db(octave(held[25 * RATE:27 * RATE], hz))
                for hz in (1000, 8000, 11000)]
        yield f"{c}: held, lost in 23 s at 1, 8, 11 kHz", "≤ 1 dB", ", ".join(f"{v:.1f}" for v in loss) + " dB"
    for c in CHARACTERS + ["spring"]:
        moved = np.mean([cents(space(lab, c, sine(hz, 10, 0.3), decay_seconds=2.5, damping_percent=0)[2 * RATE:10 * RATE, 0],
                               hz) for hz in (700, 1000, 1700, 3000)])
        yield f"{c}: movement at 20 %", "1–4 cents" if c == "spring" else "1–3 cents", f"{moved:.1f} cents"
    h = space(lab, "spring", click(4 * BEAT, 1, 0), decay_seconds=2.5)
    yield ("spring: a source on the left, left against right", "within 3 dB",
           f"{rms_db(h[:, 0]) - rms_db(h[:, 1]):.1f} dB")
    for name in ("stairwell", "cistern", "tin-shed", "chapel", "wardrobe", "quarry"):
        h = space(lab, "impulse", impulse_file=f"shipped:{name}", decay_seconds=30)
        if h is None:
            yield f"{name}: correlation of the sides; mono fold, the worst third", "≤ 0.1; within 3 dB", "–"
            continue
        tail = band(h, 250, 16000)[RATE // 30:]
        r = np.sum(tail[:, 0] * tail[:, 1]) / np.sqrt(np.sum(tail[:, 0] ** 2) * np.sum(tail[:, 1] ** 2))
        fold = []
        for k in range(-12, 13):
            x = octave(h, 1000 * 2 ** (k / 3), 1 / 3)
            fold.append(10 * np.log10(np.sum(x.sum(1) ** 2) / np.sum(x ** 2)))
        yield (f"{name}: correlation of the sides; mono fold, the worst third", "≤ 0.1; within 3 dB",
               f"{abs(r):.2f}; {fold[int(np.argmax(np.abs(fold)))]:+.1f} dB")

    # Echoes and pitch.
    step = {"step_semitones": 5, "feedback_percent": 60}
    x = lab.render(click(4 * BEAT), "delay-throw", 0, 1, step)
    first = x[BEAT - 4800:BEAT + 4800, 0]
    loud = np.flatnonzero(np.abs(first) > 0.1 * np.max(np.abs(first)))
    yield "pitch step: a click's first echo is so long", "≤ 2 ms", f"{(loud[-1] - loud[0]) / 48:.1f} ms"
    clicks = np.zeros((8 * BEAT, 2))
    places = LATE + 4603 * np.arange(20)
    clicks[places] = 0.8
    x = lab.render(clicks, "delay-throw", 0, 4, dict(step, time_left="1/1", time_right="1/1"))[:, 0]
    wrong, beside, late = 0, [], 0
    for k in (1, 2):
        part = np.abs(x[k * 4 * BEAT:(k + 1) * 4 * BEAT])
        for at in places:
            here = part[at - 96:at + 97]
            late = max(late, abs(int(np.argmax(here)) - 96))
            wrong += here.max() < 0.3 * np.max(part) or np.max(part[at + 96:at + 4507]) > 0.3 * here.max()
            if here.max() > 0.1 * np.max(part):
                beside.append(np.max(part[at + 96:at + 4507]) / here.max())
    yield ("pitch step: of 20 clicks, twice, lost or doubled; farthest off; beside them", "none; ≤ 2 ms",
           f"{wrong}; {late / 48:.2f} ms; {db(max(beside)):.0f} dB" if beside else f"all {wrong}")

    def beside_tones(hz, ratio, kind, length, settings, part):
        """All that is not one of these tones, against them."""
        source = sum(sine(f, 2, 0.2) for f in hz)
        y = lab.render(source, kind, 0, length, settings)[part, 0]
        n = np.arange(len(y))
        w = np.concatenate([f(2 * np.pi * h * ratio / RATE * n)[:, None] for h in hz for f in (np.cos, np.sin)], 1)
        fit = w @ np.linalg.lstsq(w, y, rcond=None)[0]
        return f"{rms_db(fit) - rms_db(y - fit):.0f} dB"

    chord = (220, 277.18, 329.63)
    mid = slice(BEAT + RATE // 2, BEAT + RATE * 5 // 4)
    yield ("pitch step: a tone's signal against all else", "≥ 60 dB",
           beside_tones((440,), 2 ** (5 / 12), "delay-throw", 4, {"step_semitones": 5, "feedback_percent": 0}, mid))
    yield ("pitch step: a chord's", "≥ 45 dB",
           beside_tones(chord, 2 ** (5 / 12), "delay-throw", 4, {"step_semitones": 5, "feedback_percent": 0}, mid))
    up = {"step_semitones": 12, "feedback_percent": 0}
    folded = lab.render(sine(15000, 1, 0.5), "delay-throw", 0, 2, up)[mid, 0]
    yield "pitch step: 15 kHz an octave up, what is left of it", "≤ −80 dBc", f"{rms_db(folded) - rms_db(sine(1, 1, 0.5)):.0f} dBc"
    opposite = sine(440, 1, 0.3) * [1, -1]
    levels = [rms_db(lab.render(v, "delay-throw", 0, 2, up)[mid, 0]) for v in (opposite, sine(440, 1, 0.3))]
    yield "pitch step: sides that are each other's opposite, against like ones", "0 dB", f"{levels[0] - levels[1]:+.1f} dB"

    for amount in (100,):
        for hz, kind in ((5000, "alias"), (220, "level")):
            source = sine(hz, 1, 0.5)
            driven = lab.render(source, "delay-throw", 0, 2, {"feedback_percent": 0, "drive_percent": amount})
            plain = lab.render(source, "delay-throw", 0, 2, {"feedback_percent": 0})
            part = slice(BEAT + RATE // 4, BEAT + RATE * 3 // 4)
            if kind == "level":
                yield ("drive: level at full against undriven", "within 1 dB",
                       f"{rms_db(driven[part, 0]) - rms_db(plain[part, 0]):+.1f} dB")
                continue
            p = np.square(np.abs(np.fft.rfft(driven[part, 0] * np.blackman(RATE // 2))))
            f = np.arange(len(p)) * 2.0
            far = np.minimum(f % hz, hz - f % hz) > 60
            yield ("drive: folded back, of 5 kHz at full", "≤ −70 dBc",
                   f"{10 * np.log10(np.max(p[far & (f > 60) & (f < 20000)]) / np.max(p)):.0f} dBc")

    # Speed.
    t = np.arange(8 * RATE) / RATE
    bass = np.repeat((0.5 * np.sin(2 * np.pi * 55 * t) + 0.4 * np.sin(2 * np.pi * 82.4 * t))[:, None], 2, 1)
    worst = -200
    for fade in (0, 40):
        row = lab.render(bass, "tape", 4, 8, {"shape": "stop", "bend": 0.0, "fade": fade}, what="mix")
        part = row[RATE:6 * RATE - 600, 0].copy()
        part[:RATE * 3 // 4] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(RATE * 3 // 4) / (RATE * 3 // 4))
        part[-20000:] *= 0.5 + 0.5 * np.cos(np.pi * np.arange(20000) / 20000)
        worst = max(worst, db(np.max(np.abs(band(part, 1, 19.3)))))
    yield "tape: under 20 Hz, a stop of bass", "≤ −40 dBFS", f"{worst:.0f} dBFS"
    hit = np.zeros((4 * RATE, 2))
    n = np.arange(RATE // 10)
    hit[RATE // 4:RATE // 4 + len(n)] = (np.minimum(1, n / 43) * np.exp(-n / 800) *
                                         np.sin(2 * np.pi * 900 * n / RATE))[:, None]
    x = lab.render(hit, "halftime", 0, 4, {"cycle": "1 bar", "pitch": "keep", "slower": 2})[:, 0]
    envelope = np.sqrt(signal.lfilter(np.ones(24) / 24, 1, x ** 2))
    peak = int(np.argmax(envelope))
    rise = peak - np.flatnonzero(envelope[:peak] < 0.1 * envelope[peak])[-1]
    before = db(np.max(np.abs(x[max(0, peak - 4800):peak - 480]))) - db(np.max(np.abs(x)))
    yield ("halftime keep: a hit's attack; before it", "≤ 2 ms; ≤ −60 dB", f"{rise / 48:.1f} ms; {before:.0f} dB")

    clicks = np.zeros((8 * BEAT, 2))
    clicks[600 + 2003 * np.arange(20)] = 0.8
    x = np.abs(lab.render(clicks, "halftime", 0, 4, {"cycle": "1 bar", "pitch": "keep", "slower": 2})[:, 0])
    places = 2 * (600 + 2003 * np.arange(20))
    late = [abs(int(np.argmax(x[at - 300:at + 301])) - 300) for at in places]
    beside = max(np.max(x[at + 96:at + 3910]) / np.max(x[at - 96:at + 96]) for at in places)
    yield ("halftime keep: 20 clicks, farthest from their place; beside them", "≤ 2 ms", f"{max(late) / 48:.2f} ms; {db(beside):.0f} dB")
    yield ("halftime keep: a chord's signal against all else", "≥ 45 dB",
           beside_tones(chord, 1, "halftime", 4, {"cycle": "1 bar", "pitch": "keep"}, slice(RATE // 2, RATE * 3 // 2)))
    for pitch, heard in (("drop", 226), ("keep", 452)):
        x = lab.render(sine(452, 8, 0.3), "halftime", 0, 16, {"cycle": "1/4", "pitch": pitch})[RATE // 4:-RATE // 4, 0]
        n = int(round(3 * RATE / heard))
        level = 10 * np.log10(np.convolve(np.square(x), np.ones(n) / n, "valid"))
        yield (f"halftime {pitch}: a tone's level over 30 joins", "within 0.5 dB",
               f"{np.min(level) - np.median(level):+.1f} to {np.max(level) - np.median(level):+.1f} dB")

    # Finish.
    def treated(stem, finish, law=None):
        return lab.render(stem, "treat", 0, len(stem) / BEAT, {"tail_seconds": 0.0}, finish, law=law)

    swept = treated(sine(1000, 4, 0.3), [{"type": "filter", "high_cut_hz": [[0, 300], [8, 6000]], "resonance_percent": 70}],
                    "log")
    if swept is None:
        swept = treated(sine(1000, 4, 0.3),
                        [{"type": "filter", "high_cut_hz": [[0, 300], [8, 6000]], "resonance_percent": 70}])
    p = np.square(np.abs(np.fft.rfft(swept[:, 0] * np.blackman(len(swept)))))
    f = np.fft.rfftfreq(len(swept), 1 / RATE)
    yield ("cut sweep over a tone: what is beside it", "≤ −80 dB",
           f"{10 * np.log10(np.max(p[(np.abs(f - 1000) > 300) & (f > 100)]) / np.max(p)):.0f} dB")
    even = treated(sine(1600, 4, 0.1), [{"type": "filter", "high_cut_hz": [[0, 400], [8, 6400]]}], "log")
    yield ("cut sweep from 400 to 6400 Hz: half way a tone of 1600 Hz", "−3 dB",
           "–" if even is None else f"{rms_db(even[2 * RATE - 1000:2 * RATE + 1000, 0]) - (-23.01):+.1f} dB")
    rng = np.random.default_rng(3)
    white = np.fft.rfft(rng.normal(size=8 * RATE))
    white[1:] /= np.sqrt(np.arange(1, len(white)))
    white[:160] = 0  # under 20 Hz
    pink = np.fft.irfft(white)
    pink = np.repeat((0.1 * pink / np.std(pink))[:, None], 2, 1)
    plain, sung = (treated(pink, [{"type": "filter", "high_cut_hz": [[0, 200], [16, 8000]], "resonance_percent": r}])
                   for r in (0, 70))
    apart = [rms_db(sung[a:a + RATE]) - rms_db(plain[a:a + RATE]) for a in range(RATE // 2, 7 * RATE, RATE // 2)]
    yield ("sweep at 70 % resonance against one without, pink noise", "within 3 dB",
           f"{min(apart):+.1f} to {max(apart):+.1f} dB")
    knock = treated(click(RATE), [{"type": "tone", "bands": [{"freq_hz": 12000, "gain_db": 9, "q": 1}]}])[:, 0]
    f = np.fft.rfftfreq(len(knock), 1 / RATE)
    w = f / 12000
    a = 10 ** (9 / 40)
    analogue = db(np.abs((1 - w ** 2 + 1j * a * w) / (1 - w ** 2 + 1j * w / a)))
    use = (f > 100) & (f < 18000)
    yield ("tone: a bell at 12 kHz against the analogue one, to 18 kHz", "within 0.5 dB",
           f"{np.max(np.abs(db(np.fft.rfft(knock)) - analogue)[use]):.1f} dB")
    low = treated(sine(60, 3, 0.5), [{"type": "compressor", "threshold_db": -24, "ratio": 4, "attack_ms": 5,
                                      "release_ms": 60}])[RATE:2 * RATE, 0]
    p = np.square(np.abs(np.fft.rfft(low)))
    yield ("compressor: what bends 60 Hz", "≤ −60 dB",
           f"{10 * np.log10(np.sum(p[np.arange(120, 1200, 60)]) / p[60] + 1e-12):.0f} dB")
    x = treated(sine(1000, 1, 0.1), [{"type": "pan", "position": 0.1}])
    yield "pan of the finish at 0.1", "≥ 0.8 dB", f"{rms_db(x[:, 1]) - rms_db(x[:, 0]):.1f} dB"
    lone = sine(1000, 2, 0.25)
    lone[RATE:RATE + 96] *= 10 ** (5 / 20) / 0.25  # 6 dB over −1 dBTP
    x = lab.render(lone, None, 0, 1, {}, what="limited")
    if x is not None:
        part = slice(RATE + RATE // 10 - 480, RATE + RATE // 10)
        yield ("mix limiter: 100 ms after a lone peak", "≤ 0.5 dB", f"{rms_db(lone[part]) - rms_db(x[part]):.2f} dB")


def pictures(lab, folder):
    import matplotlib
    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    def draw(ax, x, title, seconds, floor=-90):
        f, t, s = signal.spectrogram(x.mean(1) if x.ndim > 1 else x, RATE, nperseg=1024, noverlap=896,
                                     window="hann", mode="magnitude")
        level = db(s)
        ax.pcolormesh(t, f / 1000, np.maximum(level - level.max(), floor), cmap="bone", shading="auto", rasterized=True)
        ax.set(yscale="log", ylim=(0.06, 20), xlim=(0, seconds), title=title)
        ax.set_yticks([0.1, 1, 10], ["0.1", "1", "10"])

    folder.mkdir(parents=True, exist_ok=True)
    plt.rcParams.update({"font.size": 8, "axes.titlesize": 9})
    fig, axes = plt.subplots(2, 2, figsize=(9, 5.6), sharex=True)
    for ax, c in zip(axes.flat, CHARACTERS + ["spring"]):
        draw(ax, space(lab, c, decay_seconds=2.5), f"{c}: a knock, 2.5 s", 3)
    fig.supxlabel("s"), fig.supylabel("kHz")
    fig.tight_layout()
    fig.savefig(folder / "spaces.png", dpi=90)
    fig, axes = plt.subplots(2, 3, figsize=(9, 5.6))
    for ax, name in zip(axes.flat, ("stairwell", "cistern", "tin-shed", "chapel", "wardrobe", "quarry")):
        h = space(lab, "impulse", impulse_file=f"shipped:{name}", decay_seconds=30)
        draw(ax, h, name, min(6.0, 1.2 * t30(octave(h, 500))))
    fig.supxlabel("s"), fig.supylabel("kHz")
    fig.tight_layout()
    fig.savefig(folder / "impulses.png", dpi=90)
    # The kinds, each on a sung-like tone with consonants.
    t = np.arange(4 * RATE) / RATE
    voice = sum(np.sin(2 * np.pi * 196 * k * (t + 0.0004 * np.sin(2 * np.pi * 5 * t))) / k ** 1.2 for k in range(1, 40))
    gate = np.clip(np.minimum((t % 1.0) / 0.02, (0.7 - t % 1.0) / 0.05), 0, 1)
    hiss = np.random.default_rng(2).normal(0, 1, len(t)) * np.exp(-(t % 1.0) / 0.03)
    voice = np.repeat((0.1 * voice * gate + 0.1 * hiss)[:, None], 2, 1)
    kinds = [("delay-throw", 0, 2, {"time_left": "1/8", "time_right": "1/8.", "feedback_percent": 65}, ()),
             ("reverse-reverb", 4, 2, {"lead_beats": 3, "character": "hall"}, ()),
             ("tape", 2, 4, {"shape": "stop", "bend": -0.2, "fade": 40}, ()),
             ("halftime", 0, 8, {"cycle": "1/2"}, ()),
             ("stutter", 2, 2, {"slice": "1/16"}, ()),
             ("pulse", 0, 8, {"step": "1/16", "length_percent": 60}, ()),
             ("glitch", 0, 8, {"chance_percent": [40]}, ()),
             ("riser", 0, 8, {"of": "noise"}, ()),
             ("treat", 0, 8, {"tail_seconds": 0.0},
              [{"type": "filter", "high_cut_hz": [[0, 300], [4, 8000], [8, 300]], "resonance_percent": 60}])]
    fig, axes = plt.subplots(3, 3, figsize=(9, 7.5))
    for ax, (kind, start, length, settings, finish) in zip(axes.flat, kinds):
        x = lab.render(voice, kind, start, length, settings, finish, law="log")
        draw(ax, x, kind + (" (a cut that moves)" if finish else ""), 4.5, -80)
    fig.supxlabel("s"), fig.supylabel("kHz")
    fig.tight_layout()
    fig.savefig(folder / "kinds.png", dpi=90)


def main():
    ask = argparse.ArgumentParser()
    ask.add_argument("cli")
    ask.add_argument("--before")
    ask.add_argument("--pictures", type=pathlib.Path)
    a = ask.parse_args()
    now = list(rows(Lab(a.cli)))
    was = {what: value for what, _, value in rows(Lab(a.before))} if a.before else {}
    print("| what | goal |" + (" before |" if a.before else "") + " now |")
    print("|---|---|" + ("---|" if a.before else "") + "---|")
    for what, goal, value in now:
        print(f"| {what} | {goal} |" + (f" {was.get(what, '–')} |" if a.before else "") + f" {value} |")
    if a.pictures:
        pictures(Lab(a.cli), a.pictures)


if __name__ == "__main__":
    main()
