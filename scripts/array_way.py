"""The measuring of one baseline and two filter runs as a practised hand would script it with numpy, sep and astropy: what `scripts/performance` holds caelumen-cli against.

array_way.py TRIAL.json: background mesh, stars with their shapes, apertures and masks, regions, pixel and box noise, sky surface, banding, halo profile, colours. Prints the
seconds taken. No fairness, no errors, no alignment beyond one shift: it does less than Caelumen.
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


def measure(plane, trial):
    height, width = plane.shape
    sky = sep.Background(plane, bw=64, bh=64)
    flat = plane - sky
    stars = sep.extract(flat, 4, err=sky.globalrms)
    sep.sum_circle(flat, stars["x"], stars["y"], 6, err=sky.globalrms)
    half, _ = sep.flux_radius(flat, stars["x"], stars["y"], 6 * stars["a"], 0.5, subpix=5)
    mask = np.zeros(plane.shape, bool)
    sep.mask_ellipse(mask, stars["x"], stars["y"], stars["a"], stars["b"], stars["theta"], 6)
    free = ~mask
    out = {"stars": len(stars), "fwhm": float(2 * np.median(half))}
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
    cells = sky.back()[32::64, 32::64]
    v, u = np.mgrid[0:cells.shape[0], 0:cells.shape[1]]
    basis = np.stack([np.ones(cells.size), u.ravel(), v.ravel(), (u * u + v * v).ravel()], 1)
    out["surface"] = np.linalg.lstsq(basis, cells.ravel(), rcond=None)[0].tolist()
    shown = np.where(free, flat, 0)
    out["banding"] = float((shown.sum(1) / free.sum(1)).std()), float((shown.sum(0) / free.sum(0)).std())
    for region in trial["regions"]:
        if region["role"] == "halo_star":
            x, y = (int(round(p)) for p in region["at"])
            reach = 200
            patch = flat[max(0, y - reach):y + reach, max(0, x - reach):x + reach]
            yy, xx = np.indices(patch.shape)
            ring = np.hypot(xx - min(x, reach), yy - min(y, reach)).astype(int)
            out["halo"] = (np.bincount(ring.ravel(), patch.ravel()) / np.bincount(ring.ravel()))[:5].tolist()
    return out


def main(path):
    start = time.time()
    trial = json.loads(pathlib.Path(path).read_text())
    sep.set_extract_pixstack(5_000_000)
    rig = trial["rig"]
    for run in trial["runs"]:
        cube = fits.getdata(pathlib.Path(path).parent / run["stack"])
        for plane in cube if cube.ndim == 3 else [cube]:
            electrons = (plane.astype(np.float32) - rig["pedestal_adu"]) * np.float32(rig["gain_e_per_adu"] / run["sub_exposure_s"])
            print(run["id"], measure(electrons, trial), file=sys.stderr)
    print(f"{time.time() - start:.2f}")


if __name__ == "__main__":
    main(sys.argv[1])
