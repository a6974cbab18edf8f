#!/usr/bin/python3
"""Makes the sounds of the simulated room: a voice in three efforts and four noises of a workshop, the apprentice's
microphone, and a music bed.

Run at development time only (needs espeak-ng, python3-numpy, python3-scipy, python3-soundfile); its
results in demo_data/sounds are kept with the project. Everything is computed here: the voice by a speech
synthesiser, widened to 48 kHz with sibilants and given plosive pops; the noises from shaped random numbers
with fixed seeds. Mono, 48 kHz, 16-bit FLAC, loops without a seam.
"""
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import scipy.signal as ss
import soundfile as sf

RATE = 48000
OUT = Path(__file__).parent / "sounds"

TALK = [
    "Good evening, and welcome back to the bench.",
    "This piece of cane split cleanly, so the scraping should be easy.",
    "Listen to the crow: it still sounds a little sharp.",
    "I take off a hair's width at the tip, both sides, then test again.",
    "Patience pays. A reed is spoiled in a second and made in a week.",
    "Please put your questions in the chat; I will stop between reeds.",
]
WHISPER = [
    "Softly now, the next part is quiet.",
    "Hold the staple still, and scrape with the grain.",
    "Such a small sound, so much depends on it.",
]
APPRENTICE = [
    "Shall I sort the cane by colour, or by how hard it is?",
    "This one rings. The other one sounds like a box.",
    "I think the gouge wants sharpening again.",
    "How thin is too thin?",
]
SHOUT = [
    "Mind the lathe!",
    "Put the gouge back on the shelf, please!",
    "Yes! That is the pitch!",
]


def synthesise(text, voice, speed, pitch):
    """One sentence by the synthesiser, at 48 kHz."""
    with tempfile.NamedTemporaryFile(suffix=".wav") as f:
        subprocess.run(["espeak-ng", "-v", voice, "-s", str(speed), "-p", str(pitch), "-w", f.name, text], check=True)
        x, rate = sf.read(f.name)
    return ss.resample_poly(x, RATE, rate) if rate != RATE else x


def envelope(x, low, high, seconds):
    sos = ss.butter(4, [low, high], "bandpass", fs=RATE, output="sos")
    power = ss.sosfiltfilt(sos, x) ** 2
    k = int(seconds * RATE)
    return np.sqrt(np.maximum(np.convolve(power, np.ones(k) / k, "same"), 0))


def widen(x, rng):
    """Sibilants above the synthesiser's band: noise from 9 to 17 kHz that follows the band below."""
    sos = ss.butter(4, [9000, 17000], "bandpass", fs=RATE, output="sos")
    noise = ss.sosfilt(sos, rng.standard_normal(len(x)))
    return x + 0.8 * noise / np.std(noise) * envelope(x, 5000, 9500, 0.004)


def plosives(x, rng):
    """Breath hitting the microphone: a low thump where sound bursts out after a closure."""
    level = envelope(x, 100, 8000, 0.010)
    y = x.copy()
    last = 0
    for i in range(int(0.03 * RATE), len(x) - 4800, 240):
        quiet = level[i - 960:i].max() < 0.02
        burst = level[i:i + 720].max() > 0.15
        if quiet and burst and i - last > RATE // 2 and rng.random() < 0.6:
            t = np.arange(3600) / RATE
            y[i:i + 3600] += 0.12 * np.sin(2 * np.pi * rng.uniform(55, 95) * t) * t / 0.012 * np.exp(1 - t / 0.012)
            last = i
    return y


def nearby_walls(x, rng):
    """A few weak early reflections, so that the voice stands in a small room."""
    y = x.copy()
    for _ in range(7):
        delay = int(rng.uniform(0.004, 0.028) * RATE)
        y[delay:] += rng.uniform(-0.10, 0.10) * x[:-delay]
    return y


def sentences(texts, voice, speed, pitch, seed, pause):
    rng = np.random.default_rng(seed)
    parts = [np.zeros(int(0.6 * RATE))]
    for text in texts:
        x = synthesise(text, voice, speed, pitch)
        x /= np.abs(x).max()
        # The synthesiser's peaks stand further out of its level than those of a throat do.
        x = np.tanh(3.2 * x) * rng.uniform(0.7, 1.0)
        parts += [plosives(widen(x, rng), rng), np.zeros(int(rng.uniform(*pause) * RATE))]
    return nearby_walls(np.concatenate(parts), rng)


def periodic_noise(seconds, shape, seed):
    """Noise with a given magnitude over frequency that repeats without a seam; RMS 1."""
    n = int(seconds * RATE)
    rng = np.random.default_rng(seed)
    f = np.fft.rfftfreq(n, 1 / RATE)
    spectrum = shape(np.maximum(f, 1.0)) * np.exp(2j * np.pi * rng.random(len(f)))
    spectrum[0] = 0
    x = np.fft.irfft(spectrum, n)
    return x / np.std(x)


def add_around(x, at, y):
    """Adds y into the loop x from sample `at` on, wrapping at the end."""
    x[(at + np.arange(len(y))) % len(x)] += y


def band(low, high, order=2):
    return lambda f: 1 / np.sqrt((1 + (low / f) ** (2 * order)) * (1 + (f / high) ** (2 * order)))


def dehumidifier(seconds=8):
    x = periodic_noise(seconds, lambda f: f ** -0.6 * band(60, 5000)(f), 11)
    t = np.arange(len(x)) / RATE
    for k, a in ((50, .5), (100, .9), (150, .35), (200, .3), (300, .15)):
        x += a * np.sin(2 * np.pi * k * t + k)
    return x * (1 + 0.08 * np.sin(2 * np.pi * 23.5 * t))


def lathe(seconds=8):
    x = 0.5 * periodic_noise(seconds, lambda f: f ** -0.3 * band(200, 9000)(f), 12)
    t = np.arange(len(x)) / RATE
    wobble = 0.15 * np.sin(2 * np.pi * 0.75 * t)
    for k in range(1, 14):
        x += 0.7 / k ** 0.8 * np.sin(2 * np.pi * 87 * k * t + k * wobble + 1.7 * k)
    return x + 0.12 * np.sin(2 * np.pi * 2875 * t + 6 * wobble) * (1 + 0.5 * np.sin(2 * np.pi * 29 * t))


def rain(seconds=10):
    x = periodic_noise(seconds, lambda f: f ** -0.25 * band(350, 11000)(f), 13)
    rng = np.random.default_rng(14)
    for _ in range(int(seconds * 60)):
        t = np.arange(1500) / RATE
        drop = np.sin(2 * np.pi * rng.uniform(700, 3500) * t) * np.exp(-t / rng.uniform(0.002, 0.010))
        add_around(x, rng.integers(len(x)), rng.exponential(1.6) * drop)
    return x


def tools(seconds=12):
    n = int(seconds * RATE)
    x = np.zeros(n)
    rng = np.random.default_rng(15)
    scrape = periodic_noise(seconds, band(1800, 7500), 16)
    at = int(0.4 * RATE)
    while at < n - RATE:
        length = int(rng.uniform(0.12, 0.35) * RATE)
        add_around(x, at, rng.uniform(.3, 1) * scrape[at:at + length] * np.hanning(length))
        at += length + int(rng.uniform(0.2, 1.4) * RATE)
        if rng.random() < 0.35:
            t = np.arange(6000) / RATE
            knock = np.sin(2 * np.pi * rng.uniform(120, 210) * t) * np.exp(-t / 0.018)
            knock[:300] += rng.standard_normal(300) * np.exp(-np.arange(300) / 60) * 0.8
            add_around(x, at, 5 * rng.uniform(.5, 1) * knock)
    return x


def seat(x, seed):
    """The apprentice's corner: further from the microphone, with the wall and a small fan behind."""
    rng = np.random.default_rng(seed)
    y = nearby_walls(nearby_walls(x, rng), rng)
    fan = periodic_noise(len(y) / RATE + 1, lambda f: f ** -0.8 * band(80, 3000)(f), seed + 1)[:len(y)]
    return y / np.abs(y).max() + 0.006 * fan


def bed(bars=10, tempo=84):
    """A calm piece for two plucked voices over a low drone, made up for this; loops without a seam."""
    beat = 60 / tempo
    n = int(bars * 4 * beat * RATE)
    x = np.zeros(n)
    rng = np.random.default_rng(21)
    scale = [0, 2, 3, 5, 7, 10]
    roots = [45, 41, 48, 43, 45, 41, 38, 43, 45, 40]

    def note(at, midi, seconds, level):
        f = 440 * 2 ** ((midi - 69) / 12)
        t = np.arange(int(seconds * RATE)) / RATE
        y = sum(np.sin(2 * np.pi * f * k * t) * np.exp(-t * (1.5 + 0.9 * k)) / k ** 1.4 for k in range(1, 9))
        y[:240] *= np.linspace(0, 1, 240)
        y[-2400:] *= np.linspace(1, 0, 2400)
        add_around(x, int(at * RATE), level * y)

    for b in range(bars):
        root = roots[b % len(roots)]
        note(b * 4 * beat, root, 4 * beat, 0.9)
        note(b * 4 * beat, root + 7, 4 * beat, 0.4)
        for e in range(8):
            if rng.random() < 0.75:
                note((b * 4 + e / 2) * beat, root + 12 + int(rng.choice(scale)) + 12 * int(rng.random() < 0.3), 1.6, 0.5)
    return x


def save(name, x, peak_db=None, rms_db=None):
    """Level by peak, or by RMS as AES17 counts it (a full-scale sine reads 0 dBFS)."""
    if peak_db is not None:
        x = x * 10 ** (peak_db / 20) / np.abs(x).max()
    else:
        x = x * 10 ** (rms_db / 20) / np.sqrt(2 * np.mean(x ** 2))
    OUT.mkdir(exist_ok=True)
    sf.write(OUT / name, x, RATE, "PCM_16")
    print(f"{name}: {len(x) / RATE:.1f} s, peak {20 * np.log10(np.abs(x).max()):.1f} dBFS")


def main():
    save("voice_talk.flac", sentences(TALK, "en-gb+f4", 155, 42, 1, (0.8, 1.5)), peak_db=-7)
    save("voice_whisper.flac", sentences(WHISPER, "en-gb+whisperf", 140, 40, 2, (0.9, 1.5)), peak_db=-22)
    shout = sentences(SHOUT, "en-gb+f4", 165, 75, 3, (0.9, 1.4))
    bright = ss.sosfilt(ss.butter(1, 900, "highpass", fs=RATE, output="sos"), shout)
    save("voice_shout.flac", np.tanh(2.2 * (shout + 1.5 * bright)), peak_db=-0.5)
    save("apprentice.flac", seat(sentences(APPRENTICE, "en-gb+m3", 150, 58, 4, (0.8, 1.6)), 31), peak_db=-10)
    save("evening_music.flac", bed(), rms_db=-20)
    save("dehumidifier.flac", dehumidifier(), rms_db=-37)
    save("lathe.flac", lathe(), rms_db=-33)
    save("rain.flac", rain(), rms_db=-35)
    save("tools.flac", tools(), peak_db=-16)


if __name__ == "__main__":
    sys.exit(main())
