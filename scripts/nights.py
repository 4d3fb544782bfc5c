"""Repeated virtual nights whose truth follows from the definitions alone, made with numpy and nothing of Caelumen's own; each is measured by caelumen-cli.

nights.py CLI NIGHTS: prints a table of how often the true value lies within one, two and three claimed sigmas. Needs numpy and astropy.
"""
import collections
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
from astropy.io import fits

EXPOSURE, SUBS, GAIN, PEDESTAL, READ_NOISE, WELL = 180.0, 20, 0.78, 100.0, 1.6, 50000.0
BETA = 3.2
FILTERS = [  # per channel: sky and peak of the nebula in e-/s/px, part of the starlight; halo radius (px) and light
    ("A", "open", [1.0, 1.4, 1.2], [0.10, 0.06, 0.03], [1, 1, 1], None),
    ("B", "duo", [0.06, 0.10, 0.08], [0.09, 0.05, 0.025], [0.10, 0.12, 0.09], (34.0, 0.03)),
    ("C", "city", [0.45, 0.5, 0.3], [0.095, 0.055, 0.027], [0.6, 0.5, 0.45], (60.0, 0.02)),
]
POINTING = {"A": (0, 0, 0), "B": (6.3, -4.1, 0.4), "C": (-11.2, 7.7, -0.8)}
KINDS = {
    "colour": dict(width=1200, height=800, stars=400, scale=1.616, nebula="cloud"),
    "crowded": dict(width=1200, height=800, stars=1500, scale=1.616, nebula="disc"),
    "mono": dict(width=900, height=700, stars=400, scale=1.616, nebula="cloud", channels="L"),
    "mosaic": dict(width=1600, height=1200, stars=400, scale=1.2, nebula="cloud", mosaic=True),
}


def moffat(r2, fwhm):
    a2 = (fwhm / 2) ** 2 / (2 ** (1 / BETA) - 1)
    return (BETA - 1) / (np.pi * a2) * (1 + r2 / a2) ** -BETA


def inside(region, x, y):
    if region["shape"] == "circle":
        return np.hypot(x - region["center"][0], y - region["center"][1]) <= region["radius"]
    if region["shape"] == "rect":
        (x0, y0), (x1, y1) = region["min"], region["max"]
        return (x >= x0) & (x <= x1) & (y >= y0) & (y <= y1)
    result, points = np.zeros(x.shape, bool), region["points"]
    for (xa, ya), (xb, yb) in zip(points, points[-1:] + points[:-1]):
        if ya != yb:
            result ^= ((ya > y) != (yb > y)) & (x < (xb - xa) * (y - ya) / (yb - ya) + xa)
    return result


def make(folder, seed, width, height, stars, scale, nebula, channels="RGB", mosaic=False, spoiled=None):
    """Writes the frames and trial.json of one night and gives the truth. `spoiled`: star profiles other than the good one, by run."""
    rng = np.random.default_rng(seed)
    halo = (0.72 * width, 0.3 * height)
    middle = (0.42 * width, 0.55 * height)
    sx, sy = rng.uniform(-20, width + 20, stars), rng.uniform(-20, height + 20, stars)
    flux = 10 ** (0.9 + np.minimum(rng.exponential(0.6, stars), 2.0))
    colour = rng.normal(0, 0.35, stars)
    keep = np.hypot(sx - halo[0], sy - halo[1]) > 60
    sx, sy = np.append(sx[keep], halo[0]), np.append(sy[keep], halo[1])
    flux, colour = np.append(flux[keep], 4000.0), np.append(colour[keep], 0.1)
    regions = [
        {"id": "n1", "role": "nebula", "shape": "circle", "center": middle, "radius": 0.07 * height},
        {"id": "s1", "role": "sky", "shape": "rect", "min": [0.03 * width, 0.04 * height], "max": [0.16 * width, 0.2 * height]},
        {"id": "s2", "role": "sky", "shape": "rect", "min": [0.85 * width, 0.8 * height], "max": [0.97 * width, 0.95 * height]},
        {"id": "s3", "role": "sky", "shape": "polygon", "points": [[0.85 * width, 0.05 * height], [0.97 * width, 0.05 * height], [0.95 * width, 0.2 * height]]},
        {"id": "h1", "role": "halo_star", "at": halo},
    ]
    yy, xx = np.mgrid[0:height, 0:width].astype(float)
    half = np.hypot(width, height) / 2
    u, v = (xx - (width - 1) / 2) / half, (yy - (height - 1) / 2) / half
    vignette, truth, baseline = -0.03, [], {}
    for run, _, skies, nebulae, throughput, ghost in FILTERS:
        dx, dy, turn = POINTING[run]
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        x, y = c * sx - s * sy + dx, s * sx + c * sy + dy
        bx, by = c * (xx - dx) + s * (yy - dy), -s * (xx - dx) + c * (yy - dy)
        fwhm, slope = (3.0, (0.06, -0.04)) if run == "A" else (3.15, (0.02, 0.05))
        if nebula == "disc":
            shape = (np.hypot(bx - middle[0], by - middle[1]) < 0.12 * height).astype(float)
        else:
            shape = np.exp(-(((bx - middle[0]) / (0.1 * width)) ** 2 + ((by - middle[1]) / (0.12 * height)) ** 2) / 2)
        planes, sites = [], np.zeros((height, width))
        for i, channel in enumerate(channels):
            k = i if len(channels) == 3 else 1
            sky = skies[k] * (1 + slope[0] * u + slope[1] * v + vignette * (u * u + v * v))
            gas = nebulae[k] * shape
            image = sky + gas
            light = flux * throughput[k] * 10 ** (0.4 * colour * (k - 1) * (1 if run == "A" else 0.7))
            for n, (px, py, f) in enumerate(zip(x, y, light)):
                last = n == len(light) - 1
                r = 140 if last else 28 if not spoiled else 90
                x0, x1, y0, y1 = max(0, int(px) - r), min(width, int(px) + r + 1), max(0, int(py) - r), min(height, int(py) + r + 1)
                if x0 >= x1 or y0 >= y1:
                    continue
                r2 = (xx[y0:y1, x0:x1] - px) ** 2 + (yy[y0:y1, x0:x1] - py) ** 2
                image[y0:y1, x0:x1] += f * (spoiled or {}).get(run, moffat)(r2, fwhm)
                if last and ghost:
                    disc = np.clip(ghost[0] + 0.5 - np.sqrt(r2), 0, 1)
                    image[y0:y1, x0:x1] += f * ghost[1] * disc / disc.sum()
            electrons = image * EXPOSURE + np.sqrt(np.maximum(image, 0) * EXPOSURE + READ_NOISE**2) / np.sqrt(SUBS) * rng.standard_normal((height, width))
            adu = np.minimum(electrons, WELL) / GAIN + PEDESTAL
            if mosaic:
                for oy, ox in {"R": [(0, 0)], "G": [(0, 1), (1, 0)], "B": [(1, 1)]}[channel]:
                    sites[oy::2, ox::2] = adu[oy::2, ox::2]
            planes.append(adu)

            def tell(quantity, value, region=None):
                truth.append(dict(run=run, channel=channel, quantity=quantity, region=region, value=float(value)))

            masks = {r["id"]: inside(r, bx, by) for r in regions if "shape" in r}
            level = (sky + gas)[masks["s1"] | masks["s2"] | masks["s3"]].mean()
            noise = np.sqrt((sky[masks["s1"] | masks["s2"] | masks["s3"]].mean() * EXPOSURE + READ_NOISE**2) / SUBS) / EXPOSURE
            if mosaic and channel == "G":
                noise /= np.sqrt(2)
            box = noise * scale * (2 if mosaic else 1) / 10
            signal = gas[masks["n1"]].mean()
            total = EXPOSURE * SUBS
            tell("background", level)
            tell("pixel_noise", noise)
            tell("box_noise", box)
            tell("noise_correlation", 1)
            tell("faint_limit", 5 * box * np.sqrt(total / 3600))
            tell("nebula_signal", signal, "n1")
            tell("nebula_contrast", signal / level, "n1")
            tell("nebula_snr", signal / box, "n1")
            tell("nebula_snr_hour", signal / box * np.sqrt(3600 / total), "n1")
            span = 2 * (abs(slope[0]) * (width - 1) + abs(slope[1]) * (height - 1)) / 2 / half
            tell("gradient", span)
            tell("gradient_rate", span * skies[k])
            tell("gradient_angle", np.degrees(np.arctan2(slope[1], slope[0])))
            tell("vignette", vignette)
            tell("star_fwhm", fwhm)
            if run == "A":
                baseline[channel] = (level, signal, box)
                continue
            b = baseline[channel]
            tell("background_ratio", level / b[0])
            tell("background_mag", -2.5 * np.log10(level / b[0]))
            tell("throughput", signal / b[1], "n1")
            tell("time_ratio", (signal / box / (b[1] / b[2])) ** 2, "n1")
            tell("softness", 1.05)
            if k == 1:
                tell("star_throughput", throughput[k])
            area = np.pi * ghost[0] ** 2
            tell("halo_radius", ghost[0], "h1")
            tell("halo_flux_fraction", ghost[1], "h1")
            tell("halo_depth", -2.5 * np.log10(ghost[1] / area / scale**2), "h1")
        if run != "A" and len(channels) == 3:
            truth += [dict(run=run, channel=index, quantity="colour_slope", region=None, value=0.7) for index in ("B-R", "B-G", "G-R")]
        header = fits.Header({"EXPTIME": EXPOSURE})
        if mosaic:
            header["BAYERPAT"] = "RGGB"
        data = sites if mosaic else np.stack(planes) if len(planes) == 3 else planes[0]
        fits.writeto(folder / f"{run}.fits", data.astype("f4"), header)
    trial = {
        "caelumen_trial": 1, "title": folder.name,
        "rig": {"focal_length_mm": 206.265 * 3.76 / scale, "aperture_mm": 80, "obstruction": 0, "pixel_um": 3.76, "gain_e_per_adu": GAIN, "read_noise_e": READ_NOISE,
                "full_well_e": WELL, "pedestal_adu": PEDESTAL, "full_scale_adu": 65535},
        "filters": [{"id": f, "name": f, "kind": "none" if f == "open" else "dual-band"} for _, f, *_ in FILTERS],
        "runs": [{"id": r, "filter": f, "baseline": r == "A", "stack": r + ".fits", "combine": "mean", "sub_exposure_s": EXPOSURE, "sub_count": SUBS} for r, f, *_ in FILTERS],
        "regions": regions,
    }
    (folder / "trial.json").write_text(json.dumps(trial))
    return truth


def main(cli, nights):
    pulls, absent, limits, errors = collections.defaultdict(list), collections.Counter(), collections.Counter(), collections.defaultdict(list)
    for night in range(nights):
        for kind, options in KINDS.items():
            with tempfile.TemporaryDirectory() as work:
                folder = pathlib.Path(work) / f"{kind}-{night}"
                folder.mkdir()
                truth = make(folder, night, **options)
                done = subprocess.run([cli, "measure", str(folder / "trial.json")], capture_output=True, text=True, check=True)
            measured = {(m["run"], m["channel"], m["quantity"], m["region"]): m for m in json.loads(done.stdout)["measurements"]}
            for t in truth:
                m = measured.get((t["run"], t["channel"], t["quantity"], t["region"]))
                name = t["quantity"]
                if m is None:
                    absent[name] += 1
                elif "upper-limit" in m["flags"]:
                    limits[name] += 1
                else:
                    error = m["value"] - t["value"]
                    if name == "gradient_angle":
                        error = (error + 180) % 360 - 180
                    pulls[name].append(error / m["sigma"])
                    errors[name].append(abs(error))
    print("| quantity | figures | median error | within 1 sigma | within 2 | within 3 | limits | absent |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for name in sorted(pulls):
        p = np.abs(pulls[name])
        print(f"| `{name}` | {len(p)} | {np.median(errors[name]):.2g} | " + " | ".join(f"{100 * np.mean(p < k):.0f} %" for k in (1, 2, 3)) + f" | {limits[name]} | {absent[name]} |")
    everything = np.abs(np.concatenate(list(map(np.array, pulls.values()))))
    print(f"| **all** | {len(everything)} | | " + " | ".join(f"{100 * np.mean(everything < k):.1f} %" for k in (1, 2, 3)) + f" | {sum(limits.values())} | {sum(absent.values())} |")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
