"""Compares `caelumen-cli frames` and `measure` with astropy, photutils and sep on the same made-up frames: agreement.py CLI. These libraries are judges here, never shipped."""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
import sep
from astropy.io import fits
from astropy.stats import SigmaClip, mad_std, sigma_clipped_stats
from photutils.aperture import CircularAnnulus, CircularAperture, ApertureStats, aperture_photometry
from scipy.optimize import least_squares

import nights


def frame(seed, stars=700, width=1400, height=1000, fwhm=3.4, sky=300.0, noise=6.0):
    rng = np.random.default_rng(seed)
    image = np.full((height, width), sky) + noise * rng.standard_normal((height, width))
    x, y = rng.uniform(20, width - 20, stars), rng.uniform(20, height - 20, stars)
    flux = 10 ** rng.uniform(2.8, 5.0, stars)
    yy, xx = np.mgrid[0:height, 0:width]
    for px, py, f in zip(x, y, flux):
        x0, y0 = int(px), int(py)
        a, b, c, d = max(0, x0 - 30), min(width, x0 + 31), max(0, y0 - 30), min(height, y0 + 31)
        image[c:d, a:b] += f * nights.moffat((xx[c:d, a:b] - px) ** 2 + (yy[c:d, a:b] - py) ** 2, fwhm)
    return image.astype("f4"), x, y, flux


def fitted_fwhm(image, x, y, sky, reach=12):
    """Moffat by scipy on the brightest lonely stars, median FWHM."""
    widths = []
    yy, xx = np.mgrid[-reach:reach + 1, -reach:reach + 1]
    for px, py in zip(x, y):
        cx, cy = int(round(px)), int(round(py))
        if not (reach < cx < image.shape[1] - reach - 1 and reach < cy < image.shape[0] - reach - 1):
            continue
        stamp = image[cy - reach:cy + reach + 1, cx - reach:cx + reach + 1].astype(float) - sky
        guess = [stamp[reach, reach], px - cx, py - cy, 2.5, 3.0, 0.0]
        fit = least_squares(lambda p: (p[0] * (1 + ((xx - p[1]) ** 2 + (yy - p[2]) ** 2) / p[3] ** 2) ** -p[4] + p[5] - stamp).ravel(), guess)
        widths.append(2 * abs(fit.x[3]) * np.sqrt(2 ** (1 / fit.x[4]) - 1))
    return np.median(widths)


def main(cli):
    print("| figure | Caelumen | judge | difference | aim |")
    print("| --- | --- | --- | --- | --- |")

    def line(name, ours, theirs, judge, aim):
        print(f"| {name} | {ours:.5g} | {theirs:.5g} ({judge}) | {100 * (ours / theirs - 1):+.2f} % | {aim} |")

    with tempfile.TemporaryDirectory() as work:
        work = pathlib.Path(work)
        for seed in (1, 2):
            image, x, y, flux = frame(seed)
            fits.writeto(work / f"{seed}.fits", image)
            r = json.loads(subprocess.run([cli, "frames", str(work / f"{seed}.fits"), "--json"], capture_output=True, text=True, check=True).stdout)[0]
            background = sep.Background(image)
            objects = sep.extract(image - background.back(), 5.0, err=background.globalrms)
            hidden = np.zeros(image.shape, bool)
            sep.mask_ellipse(hidden, objects["x"], objects["y"], objects["a"], objects["b"], objects["theta"], r=8.0)
            _, level, _ = sigma_clipped_stats(image, mask=hidden, sigma=3)
            noise = mad_std(image[~hidden])
            line(f"level, frame {seed}", r["level"]["L"], level, "astropy", "0.5 %")
            line(f"noise, frame {seed}", r["noise"]["L"], noise, "astropy", "0.5 %")
            line(f"stars, frame {seed}", r["stars"], len(objects), "sep", "5 %")
            bright = np.argsort(-flux)[:60]
            line(f"FWHM, frame {seed}", r["fwhm_px"], fitted_fwhm(image, x[bright], y[bright], level), "scipy Moffat fits", "3 %")
        # Flux ratios of matched stars through equal apertures.
        folder = work / "night"
        folder.mkdir()
        options = dict(nights.KINDS["mono"], width=1800, height=1400, stars=1000)
        nights.make(folder, 5, **options)
        measured = json.loads(subprocess.run([cli, "measure", str(folder / "trial.json")], capture_output=True, text=True, check=True).stdout)
        rng = np.random.default_rng(5)
        w, h, n = options["width"], options["height"], options["stars"]
        sx, sy = rng.uniform(-20, w + 20, n), rng.uniform(-20, h + 20, n)
        clip = SigmaClip(3.0)

        def fluxes(run):
            data = (fits.getdata(folder / f"{run}.fits").astype(float) - nights.PEDESTAL) * nights.GAIN / nights.EXPOSURE
            dx, dy, turn = nights.POINTING[run]
            c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
            at = np.column_stack([c * sx - s * sy + dx, s * sx + c * sy + dy])
            rings = ApertureStats(data, CircularAnnulus(at, 18, 26), sigma_clip=clip)
            circle = CircularAperture(at, 12.0)  # wide: what it misses hardly depends on the width of the star
            return aperture_photometry(data, circle)["aperture_sum"].value - rings.median * circle.area

        lonely = np.array([np.sort(np.hypot(sx - a, sy - b))[1] > 30 for a, b in zip(sx, sy)]) & (sx > 40) & (sy > 40) & (sx < w - 40) & (sy < h - 40)
        lonely &= np.hypot(sx - 0.42 * w, sy - 0.55 * h) > 0.3 * h
        base = fluxes("A")
        for run in ("B", "C"):
            bright = lonely & (base > 25)
            ratio = fluxes(run)[bright].sum() / base[bright].sum()  # so wide an aperture is noisy: the bright stars know most
            ours = next(m["value"] for m in measured["measurements"] if m["run"] == run and m["quantity"] == "star_throughput")
            line(f"flux ratio, run {run}", ours, ratio, "photutils", "0.5 %")


if __name__ == "__main__":
    main(sys.argv[1])
