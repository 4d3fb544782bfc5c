"""The measuring of one baseline and two filter runs as a practised hand would script it with numpy, sep and astropy: what `scripts/performance` holds caelumen-cli against.

array_way.py TRIAL.json [--quick]: background mesh, stars with their shapes, apertures and masks, regions, pixel and box noise, sky surface, banding, halo profile, colours. Prints the
seconds taken. No fairness, no errors, no alignment beyond one shift: it does less than Caelumen. With --quick it takes every short cut that numbers for a blog allow: stars
are found, shaped and hidden in one channel of each run, the background is kept in single precision, noise is read in the sky regions alone, banding not at all.
"""
import json
import pathlib
import sys
import time

import numpy as np
import sep
from astropy.io import fits


def clipped(values):
    for _ in range(5):
        middle, sigma = np.median(values), values.std()
        kept = values[np.abs(values - middle) < 3 * sigma]
        if kept.size == values.size:
            break
        values = kept
    return values.mean(), values.std()


def bounds(region, shape):
    if region["shape"] == "circle":
        (x, y), r = region["center"], region["radius"]
        box = x - r, x + r, y - r, y + r
    else:
        points = np.array(region.get("points") or [region["min"], region["max"]])
        box = points[:, 0].min(), points[:, 0].max(), points[:, 1].min(), points[:, 1].max()
    x0, x1, y0, y1 = (int(round(v)) for v in box)
    return slice(max(0, y0), min(shape[0], y1 + 1)), slice(max(0, x0), min(shape[1], x1 + 1))


def find(flat, sky, quick):
    """Stars of a plane, their typical width, and what they hide."""
    stars = sep.extract(flat, 5 if quick else 4, err=sky.globalrms)
    reach = np.full(len(stars), 12.0) if quick else 6 * stars["a"]
    half, _ = sep.flux_radius(flat, stars["x"], stars["y"], reach, 0.5, subpix=3 if quick else 5)
    mask = np.zeros(flat.shape, bool)
    sep.mask_ellipse(mask, stars["x"], stars["y"], stars["a"], stars["b"], stars["theta"], 6)
    return stars, float(2 * np.median(half)), ~mask


def measure_quickly(plane, trial, known):
    """`known`: what `find` gave for another channel of the run, or None. Figures, and what is known now."""
    sky = sep.Background(plane, bw=64, bh=64)
    back = sky.back(dtype=np.float32)
    flat = plane - back
    stars, width, free = known or find(flat, sky, True)
    sep.sum_circle(flat, stars["x"], stars["y"], 6, err=sky.globalrms, subpix=5)
    out, k = {"stars": len(stars), "fwhm": width}, 6
    for region in trial["regions"]:
        if "shape" not in region:
            continue
        box = bounds(region, plane.shape)
        out[region["id"]] = clipped(plane[box][free[box]])
        if region["role"] == "sky":
            piece, seen = flat[box], free[box]
            tall, wide = piece.shape[0] // k * k, piece.shape[1] // k * k
            means = piece[:tall, :wide].reshape(tall // k, k, wide // k, k).mean((1, 3))
            out[region["id"] + " boxes"] = float(means[seen[:tall, :wide].reshape(tall // k, k, wide // k, k).all((1, 3))].std())
    surface(back, out)
    halos(flat, trial, out)
    return out, (stars, width, free)


def surface(back, out):
    cells = back[32::64, 32::64]
    v, u = np.mgrid[0:cells.shape[0], 0:cells.shape[1]]
    basis = np.stack([np.ones(cells.size), u.ravel(), v.ravel(), (u * u + v * v).ravel()], 1)
    out["surface"] = np.linalg.lstsq(basis, cells.ravel(), rcond=None)[0].tolist()


def halos(flat, trial, out):
    for region in trial["regions"]:
        if region["role"] == "halo_star":
            x, y = (int(round(p)) for p in region["at"])
            reach = 200
            patch = flat[max(0, y - reach):y + reach, max(0, x - reach):x + reach]
            yy, xx = np.indices(patch.shape)
            ring = np.hypot(xx - min(x, reach), yy - min(y, reach)).astype(int)
            out["halo"] = (np.bincount(ring.ravel(), patch.ravel()) / np.bincount(ring.ravel()))[:5].tolist()


def measure(plane, trial):
    height, width = plane.shape
    sky = sep.Background(plane, bw=64, bh=64)
    flat = plane - sky
    stars, fwhm, free = find(flat, sky, False)
    sep.sum_circle(flat, stars["x"], stars["y"], 6, err=sky.globalrms)
    out = {"stars": len(stars), "fwhm": fwhm}
    for region in trial["regions"]:
        if "shape" in region:
            box = bounds(region, plane.shape)
            out[region["id"]] = clipped(plane[box][free[box]])
    steps = (plane[:, 6:] - plane[:, :-6])[free[:, 6:] & free[:, :-6]][::7]
    out["noise"] = 1.4826 * np.median(np.abs(steps)) / np.sqrt(2)
    k = 6
    tall, wide = height // k * k, width // k * k
    light = np.where(free, flat, 0)[:tall, :wide].reshape(tall // k, k, wide // k, k).sum((1, 3))
    count = free[:tall, :wide].reshape(tall // k, k, wide // k, k).sum((1, 3))
    boxes = np.where(count == k * k, light / (k * k), np.nan)
    out["box_noise"] = float(np.nanstd(boxes))
    surface(sky.back(), out)
    shown = np.where(free, flat, 0)
    out["banding"] = float((shown.sum(1) / free.sum(1)).std()), float((shown.sum(0) / free.sum(0)).std())
    halos(flat, trial, out)
    return out


def main(path, quick):
    start = time.time()
    trial = json.loads(pathlib.Path(path).read_text())
    sep.set_extract_pixstack(5_000_000)
    rig = trial["rig"]
    for run in trial["runs"]:
        cube = fits.getdata(pathlib.Path(path).parent / run["stack"])
        planes, known = cube if cube.ndim == 3 else [cube], None
        for plane in [planes[i] for i in (1, 0, 2)] if quick and len(planes) == 3 else planes:
            electrons = (plane.astype(np.float32) - rig["pedestal_adu"]) * np.float32(rig["gain_e_per_adu"] / run["sub_exposure_s"])
            if quick:
                figures, known = measure_quickly(electrons, trial, known)
            else:
                figures = measure(electrons, trial)
            print(run["id"], figures, file=sys.stderr)
    print(f"{time.time() - start:.2f}")


if __name__ == "__main__":
    main(sys.argv[1], "--quick" in sys.argv[2:])
