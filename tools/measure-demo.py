#!/usr/bin/env python3
"""Measures the demo song as anybody could who has its files: knows nothing of the composer.

usage: tools/measure-demo.py SONG RENDER [--pictures FOLDER]

RENDER is what `ivrin-cli render SONG --out RENDER --what mix,stems,dry,ornaments` wrote. Wants Debian's python3-numpy,
python3-scipy, python3-soundfile and, for the pictures, python3-matplotlib.
"""
import argparse
import json
import pathlib

import numpy as np
import soundfile
from scipy.signal import butter, lfilter, sosfilt, welch

BPM = 104
BEAT = 60 / BPM
SECTIONS = {"Intro": (0, 32), "Verse": (32, 96), "Lift": (96, 128), "Chorus": (128, 192), "Break": (192, 216),
            "Last light": (216, 240)}
THIRDS = [1000 * 2 ** (k / 3) for k in range(-12, 12)]  # 62.5 Hz to 12.7 kHz


def cut(x, rate, begin, end):
    return x[round(begin * BEAT * rate):round(end * BEAT * rate)]


def thirds(x, rate):
    """Level of every third octave, dB, both sides' power summed."""
    power = 0
    for side in x.T:
        f, p = welch(side, rate, nperseg=16384)
        power = power + p
    width = f[1]
    out = []
    for centre in THIRDS:
        low, high = centre * 2 ** (-1 / 6), centre * 2 ** (1 / 6)
        # A bin counts by the part of it that lies in the band.
        share = np.clip((np.minimum(f + width / 2, high) - np.maximum(f - width / 2, low)) / width, 0, 1)
        out.append(10 * np.log10(np.sum(power * share) * width + 1e-30))
    return np.array(out)


def balance(x, rate):
    """Deviation from a spectrum that falls by 4.5 dB per octave (in third octaves: 1.5), dB."""
    d = thirds(x, rate) + 1.5 * np.log2(np.array(THIRDS) / 1000)
    return d - (d.max() + d.min()) / 2


def k_weighted(x, rate):
    """ITU-R BS.1770-5, the two filters for this rate."""
    k = np.tan(np.pi * 1681.974450955533 / rate)
    q, vh = 0.7071752369554196, 10 ** (3.999843853973347 / 20)
    vb = vh ** 0.4996667741545416
    a0 = 1 + k / q + k * k
    x = lfilter([(vh + vb * k / q + k * k) / a0, 2 * (k * k - vh) / a0, (vh - vb * k / q + k * k) / a0],
                [1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0], x, axis=0)
    k = np.tan(np.pi * 38.13547087602444 / rate)
    q = 0.5003270373238773
    a0 = 1 + k / q + k * k
    return lfilter([1, -2, 1], [1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0], x, axis=0)


def windows(x, rate, seconds):
    """Loudness of windows of so many seconds every tenth of one, LUFS, of the K-weighted sound."""
    hop, n = rate // 10, round(seconds * 10)
    power = np.add.reduceat(np.sum(x ** 2, axis=1), np.arange(0, len(x) - hop, hop)) / hop
    sums = np.convolve(power, np.ones(n) / n, "valid")
    return -0.691 + 10 * np.log10(sums + 1e-20)


def gated(levels, relative):
    """Mean loudness over the absolute gate and one relative to it."""
    loud = levels[levels > -70]
    if not len(loud):
        return -200.0
    mean = lambda v: 10 * np.log10(np.mean(10 ** (v / 10)))
    return mean(loud[loud > mean(loud) + relative])


def loudness(x, rate):
    return gated(windows(k_weighted(x, rate), rate, 0.4), -10)


def loudness_range(x, rate):
    """EBU Tech 3342."""
    levels = windows(k_weighted(x, rate), rate, 3)
    loud = levels[levels > -70]
    loud = loud[loud > 10 * np.log10(np.mean(10 ** (loud / 10))) - 20]
    return np.percentile(loud, 95) - np.percentile(loud, 10)


def onsets(x, rate, low, high, grid, reach=0.045):
    """Where the energy of a band jumps nearest to each place of a grid (seconds), and how loud: seconds, dB."""
    band = sosfilt(butter(4, [low, min(high, 0.45 * rate)], "bandpass", fs=rate, output="sos"), x.mean(axis=1))
    hop = 24
    energy = np.sqrt(np.add.reduceat(band ** 2, np.arange(0, len(band), hop)) / hop)
    rise = np.maximum(0, energy[4:] - energy[:-4])
    found = []
    for at in grid:
        a, b = int((at - reach) * rate / hop), int((at + reach) * rate / hop)
        if a < 4 or b >= len(rise):
            continue
        k = a + int(np.argmax(rise[a:b]))
        top = energy[k:k + 120].max()
        # The frame in which a tenth of the peak is passed.
        first = k
        while first > a and energy[first - 1] > 0.25 * top:
            first -= 1
        found.append((first * hop / rate, 20 * np.log10(top + 1e-9), at))
    return np.array(found)


def wander(found):
    """Standard deviation in ms and the slope of its spectrum (0 white, 1 pink) of onsets against their grid."""
    late = (found[:, 0] - found[:, 2]) * 1000
    late = late - np.median(late)
    late = late[np.abs(late) < 30]
    n = 1 << int(np.log2(len(late)))
    f, p = welch(late, 1, nperseg=min(n, 128), detrend="constant")
    use = (f > 1 / 64) & (f < 0.4)
    return late.std(), -np.polyfit(np.log10(f[use]), np.log10(p[use] + 1e-12), 1)[0]


def main():
    ask = argparse.ArgumentParser(usage=__doc__.split("\n\n")[1])
    ask.add_argument("song", type=pathlib.Path)
    ask.add_argument("render", type=pathlib.Path)
    ask.add_argument("--pictures", type=pathlib.Path)
    ask.add_argument("--json", action="store_true")
    given = ask.parse_args()
    read = lambda name: soundfile.read(given.render / name, dtype="float64", always_2d=True)
    mix, rate = read("mix.wav")
    before, _ = read("stems/mix.wav")
    rows = {}

    def row(name, goal, value, good):
        rows[name] = {"goal": goal, "measured": value, "good": bool(good)}

    chorus = cut(mix, rate, 128, 192)
    d = balance(chorus, rate)
    worst = int(np.argmax(np.abs(d)))
    row("third octaves against −4.5 dB/octave, chorus", "±3 dB", f"{d.min():+.1f} to {d.max():+.1f} dB (widest at {THIRDS[worst]:.0f} Hz)",
        np.abs(d).max() <= 3)
    c = np.corrcoef(chorus[:, 0], chorus[:, 1])[0, 1]
    row("correlation of the sides, chorus", "0.3 to 0.8", f"{c:.2f}", 0.3 <= c <= 0.8)
    whole = loudness(mix, rate)
    row("loudness of the song", "−14 ±1 LUFS", f"{whole:.1f} LUFS", abs(whole + 14) <= 1)
    lra = loudness_range(mix, rate)
    row("loudness range", "7 to 11 LU", f"{lra:.1f} LU", 7 <= lra <= 11)
    levels = {name: loudness(cut(mix, rate, *at), rate) for name, at in SECTIONS.items()}
    drop = levels["Chorus"] - levels["Lift"]
    row("the drop over the lift", "≥ 3 LU", f"{drop:.1f} LU", drop >= 3)
    row("loudness by section", "", ", ".join(f"{n} {v:.1f}" for n, v in levels.items()), True)
    over = 20 * np.log10(np.abs(before).max())
    row("largest sample before the limiter", "≤ +3 dBFS", f"{over:+.1f} dBFS", over <= 3)

    stems = {}
    for path in sorted((given.render / "dry").glob("*.wav")):
        if path.stem not in ("mix", "music"):
            stems[path.stem], _ = soundfile.read(path, dtype="float64", always_2d=True)
    for name, x in stems.items():
        y = cut(x, rate, 128, 192)
        t = thirds(y, rate)
        top = max(i for i, v in enumerate(t) if v > t.max() - 60)
        row(f"stem {name}", "", f"{loudness(y, rate):.1f} LUFS in the chorus, peak {20 * np.log10(np.abs(x).max()):.1f} dBFS, "
            f"correlation {np.corrcoef(y[:, 0], y[:, 1])[0, 1]:.2f}, within 60 dB up to {THIRDS[top]:.0f} Hz", True)

    # The voice.
    v = cut(stems["voice"], rate, 128, 192)
    f, p = welch(v.mean(axis=1), rate, nperseg=8192)
    band = lambda a, b: 10 * np.log10(p[(f >= a) & (f < b)].mean())
    presence = band(2500, 3600) - band(500, 1000)
    row("voice, 2.5–3.6 kHz over 0.5–1 kHz (density)", "−20 to −12 dB", f"{presence:.1f} dB", -20 <= presence <= -12)
    air = band(12000, 16000) - band(500, 1000)
    row("voice, 12–16 kHz over 0.5–1 kHz (density)", "≥ −50 dB", f"{air:.1f} dB", air >= -50)
    # The snare: what 1–5 kHz it has over 150–400 Hz, on its beats.
    drums = stems["drums"]
    hits = [cut(drums, rate, 128 + b - 0.01, 128 + b + 0.2) for b in range(64) if b % 2 == 1]
    f, p = welch(np.concatenate(hits).mean(axis=1), rate, nperseg=4096)
    snare = 10 * np.log10(p[(f >= 1000) & (f < 5000)].sum() / p[(f >= 150) & (f < 400)].sum())
    row("snare, 1–5 kHz over 150–400 Hz (energy)", "≥ 0 dB", f"{snare:.1f} dB", snare >= 0)
    f, p = welch(cut(stems["bass"], rate, 128, 192).mean(axis=1), rate, nperseg=16384)
    small = 10 * np.log10(p[(f >= 150) & (f < 1200)].sum() / p[(f >= 30) & (f < 150)].sum())
    row("bass, over 150 Hz against under it (energy)", "≥ −10 dB", f"{small:.1f} dB", small >= -10)

    # Timing: the shaker's and the kick's strokes against a grid without swing.
    grid = lambda beats: np.array(beats) * BEAT
    eighths = onsets(stems["shaker"], rate, 4000, 16000, grid(np.arange(128, 192, 0.5)))
    off = onsets(stems["shaker"], rate, 4000, 16000, grid(np.arange(128.25, 192, 0.5)))
    sd, slope = wander(eighths)
    row("shaker against the grid", "5 to 8 ms, slope 0.6 to 1.4", f"{sd:.1f} ms, 1/f^{slope:.2f}", 5 <= sd <= 8 and 0.6 <= slope <= 1.4)
    swing = 0.5 + np.median((off[:, 0] - off[:, 2]) - np.median(eighths[:, 0] - eighths[:, 2])) / (0.5 * BEAT)
    row("swing of the sixteenths", "53 to 60 %", f"{100 * swing:.1f} %", 0.53 <= swing <= 0.60)
    kicks = onsets(drums, rate, 1500, 6000, grid([b + k for b in range(128, 192, 4) for k in (0, 2.5)]))
    late, at = kicks[:, 0] - kicks[:, 2], np.interp(kicks[:, 2], eighths[:, 2], eighths[:, 0] - eighths[:, 2])
    found = np.abs(late - np.median(late)) < 0.012  # a kick under the crash is not found
    together = np.corrcoef(at[found], late[found])[0, 1]
    row("kick and shaker stray together", "correlation ≥ 0.7", f"{together:.2f}, of {found.sum()} kicks", together >= 0.7)

    # The ornaments: what each adds to the mix (after the gains of its row), against everything else.
    song = json.loads(given.song.read_text())
    gains = {"mix": 0.0}
    for r in song["buses"] + song["stems"]:
        gains[r["id"]] = r["gain_db"] + (gains.get(r.get("bus") or "", 0.0))
    placed = {o["id"]: o for o in song["ornaments"]}
    for path in sorted((given.render / "ornaments").glob("*.wav"), key=lambda p: int(p.stem[1:])):
        x, _ = soundfile.read(path, dtype="float64", always_2d=True)
        peak = 20 * np.log10(np.abs(x).max() + 1e-9)
        o = placed[path.stem]
        x = x * 10 ** (gains[o["on"]] / 20)
        n = round(0.1 * rate)
        loud = np.array([np.abs(x[i:i + n]).max() for i in range(0, len(x) - n, n)])
        sounding = np.flatnonzero(loud > loud.max() * 10 ** (-30 / 20))
        heard = 0
        for i in sounding:
            at = slice(i * n, (i + 1) * n)
            a, b = thirds_of_block(x[at], rate), thirds_of_block(before[at] - x[at], rate)
            heard += np.sum(a > b) >= 3
        share = heard / max(1, len(sounding))
        high = 10 * np.log10(band_power(x, rate, 2000, 16000) / (band_power(x, rate, 60, 16000) + 1e-30) + 1e-30)
        row(f"{o['name']}: {o['kind']} on {o['on']} at bar {o['start'] / 4 + 1:g}", "peak < 0 dBFS, heard ≥ 50 %",
            f"peak {peak:.1f} dBFS, sounds {len(sounding) / 10:.1f} s, over the rest in three third octaves {100 * share:.0f} % of it, "
            f"over 2 kHz {high:.0f} dB of it", peak < 0 and share >= 0.5)

    if given.json:
        print(json.dumps(rows, ensure_ascii=False, indent=1))
    else:
        print("| What | Goal | Measured | |\n|---|---|---|---|")
        for name, r in rows.items():
            print(f"| {name} | {r['goal']} | {r['measured']} | {'yes' if r['good'] else '**no**'} |")
    if given.pictures:
        pictures(mix, rate, given.pictures)


def band_power(x, rate, low, high):
    f, p = welch(x.mean(axis=1), rate, nperseg=4096)
    return p[(f >= low) & (f < high)].sum()


def thirds_of_block(x, rate):
    """Third octaves of a tenth of a second, from 200 Hz on."""
    w = np.hanning(len(x))[:, None]
    p = np.sum(np.abs(np.fft.rfft(x * w, axis=0)) ** 2, axis=1)
    f = np.fft.rfftfreq(len(x), 1 / rate)
    return np.array([10 * np.log10(p[(f >= c * 2 ** (-1 / 6)) & (f < c * 2 ** (1 / 6))].sum() + 1e-20) for c in THIRDS[5:]])


def pictures(mix, rate, folder):
    import matplotlib
    matplotlib.use("Agg")
    import matplotlib.pyplot as plt
    folder.mkdir(parents=True, exist_ok=True)
    ink, paper, rust, blue = "#26231F", "#F7F2E8", "#B04127", "#2C5F95"
    fig, (top, under) = plt.subplots(2, 1, figsize=(12.8, 7.2), height_ratios=[3, 1.3], sharex=True, facecolor=paper)
    mono = mix.mean(axis=1)
    top.specgram(mono, NFFT=4096, Fs=rate, noverlap=2048, cmap="Greys", vmin=-130, vmax=-45, scale="dB")
    top.set_yscale("symlog", linthresh=500, linscale=0.5)
    top.set_ylim(40, 18000)
    top.set_yticks([60, 125, 250, 500, 1000, 2000, 4000, 8000, 16000], ["60", "125", "250", "500", "1k", "2k", "4k", "8k", "16k"])
    top.set_ylabel("Hz")
    short = windows(k_weighted(mix, rate), rate, 3)
    moment = windows(k_weighted(mix, rate), rate, 0.4)
    under.plot(0.2 + np.arange(len(moment)) / 10, moment, color=ink, lw=0.4, alpha=0.5, label="0.4 s")
    under.plot(1.5 + np.arange(len(short)) / 10, short, color=blue, lw=1.6, label="3 s")
    under.set_ylim(-40, -6)
    under.set_ylabel("LUFS")
    under.set_xlabel("seconds")
    under.legend(frameon=False, loc="lower center", ncols=2)
    for ax in (top, under):
        ax.set_facecolor(paper)
        for name, (begin, _) in SECTIONS.items():
            ax.axvline(begin * BEAT, color=rust, lw=0.8)
    for name, (begin, _) in SECTIONS.items():
        top.text(begin * BEAT, 19500, name, color=rust, fontsize=10, style="italic")
    under.set_xlim(0, len(mix) / rate)
    fig.tight_layout()
    fig.savefig(folder / "demo-song.png", dpi=100, facecolor=paper)


if __name__ == "__main__":
    main()
