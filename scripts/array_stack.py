"""Stacking a night of mosaic subs as a practised hand would script it with numpy, fitsio, sep, astroalign and OpenCV: what `scripts/performance` holds caelumen-cli against.

array_stack.py SUBS.json OUT.fits [half|full]: masters, calibration, hot pixels, colours (cells at half size, else interpolated), alignment by the brightest stars, warping, sky
levels, sigma clipping in blocks of rows, one stack. No verdicts, no weights, no halves, no maps: it does less than Caelumen. Prints the seconds taken.
"""
import json
import pathlib
import sys
import time

import astroalign
import bottleneck
import cv2
import fitsio
import numpy as np
import sep


def mean_of(paths):
    total = None
    for path in paths:
        frame = fitsio.read(path)
        total = frame.astype(np.float32) if total is None else total + frame
    return total / np.float32(len(paths))


def planes_of(mosaic, half):
    """Red, green and blue of an RGGB mosaic."""
    if half:
        return [mosaic[0::2, 0::2].copy(), 0.5 * (mosaic[0::2, 1::2] + mosaic[1::2, 0::2]), mosaic[1::2, 1::2].copy()]
    cross, square = np.array([[0, 1, 0], [1, 4, 1], [0, 1, 0]], np.float32) / 4, np.array([[1, 2, 1], [2, 4, 2], [1, 2, 1]], np.float32) / 4
    planes = []
    for places, kernel in (([(0, 0)], square), ([(0, 1), (1, 0)], cross), ([(1, 1)], square)):
        sparse = np.zeros_like(mosaic)
        for y, x in places:
            sparse[y::2, x::2] = mosaic[y::2, x::2]
        planes.append(cv2.filter2D(sparse, -1, kernel))
    return planes


def brightest_of(green):
    sky = sep.Background(green)
    stars = sep.extract(green - sky.back(dtype=np.float32), 50, err=sky.globalrms, deblend_cont=1)  # the brightest will do, and need not be told apart
    brightest = np.argsort(-stars["flux"])[:60]
    return np.stack([stars["x"][brightest], stars["y"][brightest]], 1)


def clipped_mean(block, low, high):
    for _ in range(2):
        middle, sigma = bottleneck.nanmedian(block, axis=0), bottleneck.nanstd(block, axis=0)
        block[(block < middle - low * sigma) | (block > middle + high * sigma)] = np.nan
    return bottleneck.nanmean(block, axis=0)


def main(recipe, out, half):
    start = time.monotonic()
    folder, subs = pathlib.Path(recipe).parent, json.load(open(recipe))
    files = {kind: sorted(str(p) for pattern in subs[kind] for p in folder.glob(pattern)) for kind in ("lights", "darks", "flats", "biases")}
    dark, flat = mean_of(files["darks"]), mean_of(files["flats"]) - mean_of(files["biases"])
    for y in (0, 1):
        for x in (0, 1):
            site = flat[y::2, x::2]
            site /= np.median(site[::4, ::4])
    inverse = 1 / flat
    hot = np.argwhere(dark > np.median(dark[::4, ::4]) + 0.005 * 65535)
    hot = hot[(hot[:, 1] > 1) & (hot[:, 1] < dark.shape[1] - 2)]
    reference, level, kept = None, None, []
    for path in files["lights"]:
        light = (fitsio.read(path) - dark) * inverse
        light[hot[:, 0], hot[:, 1]] = 0.5 * (light[hot[:, 0], hot[:, 1] - 2] + light[hot[:, 0], hot[:, 1] + 2])
        cells = planes_of(light, True)
        places = brightest_of(cells[1])
        planes = cells if half else planes_of(light, False)
        if reference is None:
            reference, level = places, [np.median(p[::7, ::7]) for p in planes]
            kept.append(planes)
            continue
        matrix = astroalign.find_transform(places, reference, max_control_points=50)[0].params[:2]
        if not half:  # a cell's place x is that of the pixel 2x + 0.5
            matrix = np.column_stack([matrix[:, :2], 2 * matrix[:, 2] + 0.5 - matrix[:, :2] @ [0.5, 0.5]])
        height, width = planes[0].shape
        warped = [cv2.warpAffine(p, matrix, (width, height), flags=cv2.INTER_CUBIC, borderValue=np.nan) for p in planes]
        kept.append([p - np.float32(np.nanmedian(p[::7, ::7]) - to) for p, to in zip(warped, level)])
    height, width = kept[0][0].shape
    limits = subs.get("combine", {"low": 3, "high": 3})
    stack = np.empty((3, height, width), np.float32)
    for channel in range(3):
        for y in range(0, height, 64):
            block = np.stack([planes[channel][y:y + 64] for planes in kept])
            stack[channel, y:y + 64] = clipped_mean(block, limits["low"], limits["high"])
    fitsio.write(out, stack, clobber=True)
    print(f"{time.monotonic() - start:.2f}")


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], "half" in sys.argv[3:])
