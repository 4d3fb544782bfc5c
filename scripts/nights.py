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
NOISE_WIDTHS = np.sqrt(np.pi * (2 * BETA - 1) / (4 * (2 ** (1 / BETA) - 1))) / (BETA - 1)  # what a matched filter makes of a pixel's noise, for a Moffat one pixel wide
BRIGHT, COUNTS, DEEPEST, HIDDEN = 8.0, 0.6, 0.3, 4.5  # below BRIGHT e-/s, N(>F) goes as F^-COUNTS down to this signal to noise; from HIDDEN on a star has to be found
FILTERS = [  # per channel: sky and peak of the nebula in e-/s/px, part of the starlight; halo radius (px) and light
    ("A", "open", [1.0, 1.4, 1.2], [0.10, 0.06, 0.03], [1, 1, 1], None),
    ("B", "duo", [0.06, 0.10, 0.08], [0.09, 0.05, 0.025], [0.10, 0.12, 0.09], (34.0, 0.03)),
    ("C", "city", [0.45, 0.5, 0.3], [0.095, 0.055, 0.027], [0.6, 0.5, 0.45], (60.0, 0.02)),
]
POINTING = {"A": (0, 0, 0), "B": (6.3, -4.1, 0.4), "C": (-11.2, 7.7, -0.8)}
PLAIN = dict(width=1200, height=800, stars=400, scale=1.616, nebula="cloud")
KINDS = {
    "colour": PLAIN,
    "crowded": PLAIN | dict(stars=1500, counts=0.3, nebula="disc"),
    "mono": PLAIN | dict(width=900, height=700, channels="L"),
    "mosaic": PLAIN | dict(width=1600, height=1200, scale=1.2, mosaic=True),
}
HARD = {
    "filled": PLAIN | dict(nebula="filled"),
    "galaxy": PLAIN | dict(nebula="galaxy"),
    "dense": PLAIN | dict(stars=6000, deepest=30),
    "interpolated": PLAIN | dict(blurred=True),
    "other cameras": PLAIN | dict(pointing={"A": (0, 0, 0), "B": (1206.0, 788.0, 178.5), "C": (1020.0, 160.0, 4.0)}, zoom={"C": 0.7}, mirror={"C": -1}),
    "rims": PLAIN | dict(rims=True),
    "crop": PLAIN | dict(width=200, height=200, stars=60),
    "16 bits": PLAIN | dict(integer=True),
    "0..1": PLAIN | dict(unit=True),
    "sum": PLAIN | dict(combine="sum"),
    "vignetted": PLAIN | dict(vignette=-0.3),
    "trailed": PLAIN | dict(axis=0.75),
    "sharp": PLAIN | dict(fwhm=1.7),
    "wide": PLAIN | dict(fwhm=7.0),
    "small camera mosaic": PLAIN | dict(width=1400, height=1000, scale=1.2, mosaic=True, pattern="GBRG", integer=True),
}


SAID = {
    "colour": "three channels", "crowded": "many stars, a nebula with an edge", "mono": "one channel", "mosaic": "RGGB",
    "filled": "nebula over half of the frame", "galaxy": "an exponential disc with a bright core on the left", "dense": "6000 stars, half of the frame hidden by them",
    "interpolated": "noise averaged over four neighbours", "other cameras": "one run turned by half a circle, one mirrored with pixels 1.4 times as large",
    "rims": "rims of NaN and zeros, 300 hot pixels, dead columns", "crop": "200 x 200 pixels", "16 bits": "unsigned integers", "0..1": "scaled floats", "sum": "sums of subs",
    "vignetted": "30 % darker corners", "trailed": "axis ratio 0.75", "sharp": "FWHM 1.7 pixels", "wide": "FWHM 7 pixels", "small camera mosaic": "GBRG, 16 bits",
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


def gas_at(kind, x, y, middle, width, height):
    """The nebula's shape in the baseline's pixels, 1 at its peak (a galaxy's core is brighter)."""
    dx, dy = x - middle[0], y - middle[1]
    if kind == "disc":
        return (np.hypot(dx, dy) < 0.12 * height).astype(float)
    if kind == "filled":
        return np.maximum(0, 1 - (dx / (0.44 * width)) ** 2 - (dy / (0.42 * height)) ** 2) ** 2
    if kind == "galaxy":
        r = np.hypot(dx + 0.08 * width, dy)
        return 3 * np.exp(-r / (0.05 * width)) + 40 * np.exp(-((r / 6) ** 2) / 2)
    return np.exp(-((dx / (0.1 * width)) ** 2 + (dy / (0.12 * height)) ** 2) / 2)


def spoil_rims(planes, run, rng):
    """What stacking and sensors leave: rims without data, hot pixels, dead columns."""
    for plane in planes:
        plane[:, :17] = plane[-23:, :] = np.nan if run == "A" else 0
        height, width = plane.shape
        plane[rng.integers(0, height, 300), rng.integers(0, width, 300)] += rng.uniform(300, 9000, 300)
        for column in (0.31, 0.77):
            plane[:, int(column * width)] = PEDESTAL


def make(folder, seed, width, height, stars, scale, nebula, channels="RGB", mosaic=False, spoiled=None, blurred=False, pointing=POINTING, zoom={}, mirror={}, rims=False,
         integer=False, unit=False, combine="mean", vignette=-0.03, axis=1.0, fwhm=3.0, pattern="RGGB", subs=SUBS, galaxies=0, deepest=DEEPEST, counts=COUNTS):
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
    # Fainter ones, as many as a real sky has: most of them nobody finds.
    one_sigma = np.sqrt((FILTERS[0][2][1] * EXPOSURE + READ_NOISE**2) / subs) / EXPOSURE * NOISE_WIDTHS * fwhm  # of a star's light in the baseline
    least = deepest * one_sigma * (0.5 if blurred else 1)
    faint = int(stars * ((least / BRIGHT) ** -counts - 1)) if least < BRIGHT else 0
    many = rng.uniform(0, 1, faint) * ((least / BRIGHT) ** -counts - 1) + 1
    sx, sy = np.append(rng.uniform(-20, width + 20, faint), sx), np.append(rng.uniform(-20, height + 20, faint), sy)
    flux, colour = np.append(BRIGHT * many ** (-1 / counts), flux), np.append(rng.normal(0, 0.35, faint), colour)
    unseen = flux < HIDDEN * one_sigma
    size = np.where(rng.uniform(size=len(flux)) < galaxies, rng.uniform(1, 3, len(flux)), 1)  # unresolved galaxies are a little wider
    size[flux > BRIGHT] = 1
    regions = [
        {"id": "n1", "role": "nebula", "shape": "circle", "center": middle, "radius": (0.04 if nebula == "galaxy" else 0.07) * height},
        {"id": "s1", "role": "sky", "shape": "rect", "min": [0.03 * width, 0.04 * height], "max": [0.16 * width, 0.2 * height]},
        {"id": "s2", "role": "sky", "shape": "rect", "min": [0.85 * width, 0.8 * height], "max": [0.97 * width, 0.95 * height]},
        {"id": "s3", "role": "sky", "shape": "polygon", "points": [[0.85 * width, 0.05 * height], [0.97 * width, 0.05 * height], [0.95 * width, 0.2 * height]]},
        {"id": "h1", "role": "halo_star", "at": halo},
    ]
    if nebula == "filled":
        regions.append({"id": "s4", "role": "sky", "shape": "rect", "min": [0.02 * width, 0.87 * height], "max": [0.08 * width, 0.97 * height]})
    skies_drawn = [r["id"] for r in regions if r["role"] == "sky"]
    yy, xx = np.mgrid[0:height, 0:width].astype(float)
    half = np.hypot(width, height) / 2
    u, v = (xx - (width - 1) / 2) / half, (yy - (height - 1) / 2) / half
    truth, baseline = [], {}
    for run, _, skies, nebulae, throughput, ghost in FILTERS:
        dx, dy, turn = pointing[run]
        z, m = zoom.get(run, 1.0), mirror.get(run, 1)
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        x, y = z * (c * m * sx - s * sy) + dx, z * (s * m * sx + c * sy) + dy
        bx, by = m * (c * (xx - dx) + s * (yy - dy)) / z, (-s * (xx - dx) + c * (yy - dy)) / z
        width_px, slope = (fwhm, (0.06, -0.04)) if run == "A" else (1.05 * fwhm * z, (0.02, 0.05))
        shape = gas_at(nebula, bx, by, middle, width, height)
        scale_here = scale / z
        planes, sites = [], np.zeros((height, width))
        for i, channel in enumerate(channels):
            k = i if len(channels) == 3 else 1
            sky = skies[k] / z**2 * (1 + slope[0] * u + slope[1] * v + vignette * (u * u + v * v))
            gas = nebulae[k] / z**2 * shape
            image, hazy = sky + gas, np.zeros((height, width))
            light = flux * throughput[k] * 10 ** (0.4 * colour * (k - 1) * (1 if run == "A" else 0.7))
            for n, (px, py, f) in enumerate(zip(x, y, light)):
                last = n == len(light) - 1
                r = 140 if last else 90 if spoiled and f > BRIGHT else int((9 if f > BRIGHT else 3 if unseen[n] else 6) * size[n] * fwhm) + 1
                x0, x1, y0, y1 = max(0, int(px) - r), min(width, int(px) + r + 1), max(0, int(py) - r), min(height, int(py) + r + 1)
                if x0 >= x1 or y0 >= y1:
                    continue
                ex, ey = xx[y0:y1, x0:x1] - px, yy[y0:y1, x0:x1] - py
                r2 = ex**2 + ey**2
                along, across = 0.8 * ex + 0.6 * ey, 0.8 * ey - 0.6 * ex
                (hazy if unseen[n] else image)[y0:y1, x0:x1] += f * (spoiled or {}).get(run, moffat)(along**2 * axis + across**2 / axis, size[n] * width_px)
                if last and ghost:
                    disc = np.clip(ghost[0] * z + 0.5 - np.sqrt(r2), 0, 1)
                    image[y0:y1, x0:x1] += f * ghost[1] * disc / disc.sum()
            image += hazy
            random = rng.standard_normal((height, width))
            if blurred:
                random = (random + np.roll(random, 1, 0) + np.roll(random, 1, 1) + np.roll(random, (1, 1), (0, 1))) / 4
            electrons = image * EXPOSURE + np.sqrt(np.maximum(image, 0) * EXPOSURE + READ_NOISE**2) / np.sqrt(subs) * random
            adu = np.minimum(electrons, WELL) / GAIN * (subs if combine == "sum" else 1) + PEDESTAL
            if mosaic:
                for site, letter in enumerate(pattern):
                    if letter == channel:
                        sites[site // 2 :: 2, site % 2 :: 2] = adu[site // 2 :: 2, site % 2 :: 2]
            planes.append(adu)

            def tell(quantity, value, region=None):
                truth.append(dict(run=run, channel=channel, quantity=quantity, region=region, value=float(value)))

            masks = {r["id"]: inside(r, bx, by) for r in regions if "shape" in r}
            drawn = np.any([masks[r] for r in skies_drawn], axis=0)
            level = (sky + gas + hazy)[drawn].mean()
            noise = np.sqrt((sky[drawn].mean() * EXPOSURE + READ_NOISE**2) / subs + (GAIN**2 / 12 if integer else 0)) / EXPOSURE
            if mosaic and channel == "G":
                noise /= np.sqrt(2)
            pitch = scale_here * (2 if mosaic else 1)
            side = max(1, round(10 / pitch))
            box = noise * pitch / 10 * ((side - 0.5) / side if blurred else 1)
            noise *= 0.5 if blurred else 1
            signal = gas[masks["n1"]].mean()
            total = EXPOSURE * subs
            tell("background", level)
            tell("pixel_noise", noise)
            tell("box_noise", box)
            tell("noise_correlation", box * 10 / pitch / noise)
            tell("faint_limit", 5 * box * np.sqrt(total / 3600))
            tell("nebula_signal", signal, "n1")
            tell("nebula_contrast", signal / level, "n1")
            tell("nebula_snr", signal / box, "n1")
            tell("nebula_snr_hour", signal / box * np.sqrt(3600 / total), "n1")
            span = 2 * (abs(slope[0]) * (width - 1) + abs(slope[1]) * (height - 1)) / 2 / half
            tell("gradient", span)
            tell("gradient_rate", span * skies[k] / z**2)
            tell("gradient_angle", np.degrees(np.arctan2(slope[1], slope[0])))
            tell("vignette", vignette)
            tell("star_fwhm", width_px)
            tell("star_fwhm_arcsec", width_px * scale_here)
            if axis != 1:
                tell("star_eccentricity", np.sqrt(1 - axis**2))
            if run == "A":
                baseline[channel] = (level, signal, box)
                continue
            b = baseline[channel]
            tell("background_ratio", level * z**2 / b[0])
            tell("background_mag", -2.5 * np.log10(level * z**2 / b[0]))
            tell("throughput", signal * z**2 / b[1], "n1")
            tell("time_ratio", (signal / box / (b[1] / b[2])) ** 2, "n1")
            tell("softness", 1.05)
            if k == 1:
                tell("star_throughput", throughput[k])
            tell("halo_radius", ghost[0] * z, "h1")
            tell("halo_flux_fraction", ghost[1], "h1")
            tell("halo_depth", -2.5 * np.log10(ghost[1] / (np.pi * (ghost[0] * scale) ** 2)), "h1")
        if run != "A" and len(channels) == 3:
            truth += [dict(run=run, channel=index, quantity="colour_slope", region=None, value=0.7) for index in ("B-R", "B-G", "G-R")]
        if rims:
            spoil_rims(planes, run, rng)
        header = fits.Header({"EXPTIME": EXPOSURE})
        if mosaic:
            header["BAYERPAT"] = pattern
        data = sites if mosaic else np.stack(planes) if len(planes) == 3 else planes[0]
        data = np.clip(np.round(data), 0, 65535).astype("u2") if integer else (data / (65535 if unit else 1)).astype("f4")
        fits.writeto(folder / f"{run}.fits", data, header)
    trial = {
        "caelumen_trial": 1, "title": folder.name,
        "rig": {"focal_length_mm": 206.265 * 3.76 / scale, "aperture_mm": 80, "obstruction": 0, "pixel_um": 3.76, "gain_e_per_adu": GAIN, "read_noise_e": READ_NOISE,
                "full_well_e": WELL, "pedestal_adu": PEDESTAL, "full_scale_adu": 65535},
        "filters": [{"id": f, "name": f, "kind": "none" if f == "open" else "dual-band"} for _, f, *_ in FILTERS],
        "runs": [{"id": r, "filter": f, "baseline": r == "A", "stack": r + ".fits", "combine": combine, "sub_exposure_s": EXPOSURE, "sub_count": subs}
                 | ({"pixel_um": 3.76 / zoom[r]} if r in zoom else {}) for r, f, *_ in FILTERS],
        "regions": regions,
    }
    (folder / "trial.json").write_text(json.dumps(trial))
    return truth


def measure(cli, folder):
    done = subprocess.run([cli, "measure", str(folder / "trial.json")], capture_output=True, text=True)
    if done.returncode:
        sys.exit(f"{folder.name}: {done.stderr}")
    return {(m["run"], m["channel"], m["quantity"], m["region"]): m for m in json.loads(done.stdout)["measurements"]}


class Tally:
    """How often the true value lies within the claimed error, by a key: a quantity or a kind of night."""

    def __init__(self):
        self.pulls, self.errors = collections.defaultdict(list), collections.defaultdict(list)
        self.absent, self.limits = collections.Counter(), collections.Counter()

    def add(self, key, truth, measured):
        if measured is None:
            self.absent[key] += 1
        elif "upper-limit" in measured["flags"]:
            self.limits[key] += 1
        else:
            error = measured["value"] - truth["value"]
            if truth["quantity"] == "gradient_angle":
                error = (error + 180) % 360 - 180
            self.pulls[key].append(error / measured["sigma"])
            self.errors[key].append(abs(error))

    def parts(self, key):
        p = np.abs(self.pulls[key])
        return " | ".join(f"{100 * np.mean(p < k):.0f} %" for k in (1, 2, 3)) + f" | {self.limits[key]} | {self.absent[key]} |"


def main(cli, nights):
    by_quantity, by_kind, all_together = Tally(), Tally(), Tally()
    for kind, options in (KINDS | HARD).items():
        for night in range(nights if kind in KINDS else (nights + 2) // 3):
            with tempfile.TemporaryDirectory() as work:
                folder = pathlib.Path(work) / f"{kind}-{night}"
                folder.mkdir()
                truth = make(folder, night, **options)
                measured = measure(cli, folder)
            for t in truth:
                m = measured.get((t["run"], t["channel"], t["quantity"], t["region"]))
                by_kind.add(kind, t, m)
                if kind in KINDS:
                    by_quantity.add(t["quantity"], t, m)
                    all_together.add("all", t, m)
    print("| quantity | figures | median error | within 1 sigma | within 2 | within 3 | limits | absent |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for name in sorted(by_quantity.pulls):
        print(f"| `{name}` | {len(by_quantity.pulls[name])} | {np.median(by_quantity.errors[name]):.2g} | {by_quantity.parts(name)}")
    print(f"| **all** | {len(all_together.pulls['all'])} | | {all_together.parts('all')}")
    print("\nThe same of every kind of night, all figures together:\n")
    print("| night | figures | within 1 sigma | within 2 | within 3 | limits | absent |")
    print("| --- | --- | --- | --- | --- | --- | --- |")
    for kind in by_kind.pulls:
        print(f"| {kind}: {SAID[kind]} | {len(by_kind.pulls[kind])} | {by_kind.parts(kind)}")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
