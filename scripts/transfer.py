"""Gain and read noise from two flats and two biases of cameras made with numpy and astropy alone.

Usage: transfer.py CLI [CAMERAS]. Pixels differ in sensitivity, dust and vignetting lie on the flats, the lamp wanders, rows have an offset of their own, some
pixels are hot or flicker, particles hit, and the converter of some cameras has 12 or 14 bits in 16.
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
from astropy.io import fits

CLI, CAMERAS = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 12


def camera(rng, folder, gain, read, step, mosaic, size=(640, 960)):
    h, w = size
    y, x = np.mgrid[0:h, 0:w]
    flat = 1 - 0.25 * ((x / w - 0.5) ** 2 + (y / h - 0.5) ** 2) * 2
    flat *= 1 + 0.01 * rng.normal(size=size)
    for _ in range(5):
        cx, cy, r = rng.uniform(0, w), rng.uniform(0, h), rng.uniform(5, 25)
        flat *= 1 - 0.05 * np.exp(-0.5 * ((x - cx) ** 2 + (y - cy) ** 2) / r ** 2)
    if mosaic:
        flat[0::2, 0::2] *= 0.6
        flat[1::2, 1::2] *= 0.5
    hot = (rng.random(size) < 3e-4) * rng.exponential(800, size=size)
    flicker = rng.random(size) < 1e-3

    def frame(electrons, name, kind, seconds):
        e = rng.poisson(np.maximum(electrons, 0) + hot).astype(float)
        e += read * rng.normal(size=size) + flicker * 6 * read * rng.choice([-1, 0, 1], size=size)
        for _ in range(3):
            px, py = rng.integers(2, w - 2), rng.integers(2, h - 2)
            e[py - 1:py + 2, px - 1:px + 2] += rng.uniform(500, 5000)
        adu = np.clip(np.round((e / gain + 400) / step) * step, 0, 65535).astype(np.uint16)
        hdu = fits.PrimaryHDU(adu)
        hdu.header["IMAGETYP"], hdu.header["EXPTIME"] = kind, seconds
        if mosaic:
            hdu.header["BAYERPAT"] = "RGGB"
        hdu.writeto(folder / name)
        return str(folder / name)

    level = rng.uniform(0.25, 0.55) * 65535 * gain
    lamp = 1 + rng.uniform(-0.03, 0.03) * (x / w - 0.5)
    flats = [frame(level * flat, "f1.fits", "Flat", 1.0), frame(rng.uniform(0.93, 1.07) * level * flat * lamp, "f2.fits", "Flat", 1.0)]
    return flats, [frame(np.zeros(size), "b1.fits", "Bias", 0.0), frame(np.zeros(size), "b2.fits", "Bias", 0.0)]


rng = np.random.default_rng(11)
print("| camera | gain, measured over true | read noise, measured over true | pulls |\n| --- | --- | --- | --- |")
pulls, worst = [], [0, 0]
for i in range(CAMERAS):
    gain, step = float(np.exp(rng.uniform(np.log(0.06), np.log(3)))), int(rng.choice([1, 1, 4, 16]))
    read = float(np.exp(rng.uniform(np.log(1), np.log(12))))
    read = max(read, 0.7 * gain * step)  # else the steps of the converter hide it
    mosaic = bool(rng.random() < 0.5)
    with tempfile.TemporaryDirectory() as folder:
        flats, biases = camera(rng, pathlib.Path(folder), gain, read, step, mosaic)
        out = json.loads(subprocess.run([CLI, "transfer", "--flats", *flats, "--biases", *biases, "--json"], check=True, capture_output=True, text=True).stdout)
    g, r = out["gain_e_per_adu"] / gain, out["read_noise_e"] / read
    pg, pr = (out["gain_e_per_adu"] - gain) / out["gain_sigma"], (out["read_noise_e"] - read) / out["read_noise_sigma_e"]
    pulls += [pg, pr]
    worst = [max(worst[0], abs(g - 1)), max(worst[1], abs(r - 1))]
    print(f"| {gain:.3g} e-/ADU, {read:.2g} e-, steps of {step}, {'mosaic' if mosaic else 'mono'} | {g:.4f} | {r:.4f} | {pg:+.1f}, {pr:+.1f} |", flush=True)
print(f"\nFarthest off: gain {100 * worst[0]:.2f} %, read noise {100 * worst[1]:.2f} %; rms pull {np.sqrt(np.mean(np.square(pulls))):.2f}.")
