"""Skies that nobody tested: virtual campaigns photographed by nights.py under one or two skies, carried to all others by `caelumen-cli grid`, and held against
light that is worked out here, with spectra, a camera, optics and airglow that are not the program's.

grid.py CLI CAMPAIGNS: prints how often the truth lies within one and two claimed sigmas, by origin. Needs numpy and astropy.
"""
import collections
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np

import nights

NM = np.arange(350, 1050, 0.5)
CLASSES = {1: 21.99, 2: 21.94, 3: 21.79, 4: 21.1, 5: 20.0, 6: 19.2, 7: 18.7, 8: 18.1, 9: 17.5}
LINES = {"emission": [(656.28, 1), (486.13, 0.26), (658.35, 0.25), (654.81, 0.08)], "oxygen": [(500.68, 1), (495.89, 0.335)], "sulphur": [(671.64, 0.5), (673.08, 0.5)]}
SUBS_PER_HOUR = 3600 / nights.EXPOSURE


def bump(middle, width):
    return np.exp(-0.5 * ((NM - middle) / width) ** 2)


def black_body(kelvin):
    return NM**-4 / np.expm1(1.4388e7 / (NM * kelvin))


def lamps(rng):
    """Sodium of high and low pressure, halide, warm and cold LED, as this campaign's towns burn them."""
    j = lambda spread=0.2: np.exp(spread * rng.normal())
    return [
        0.9 * j() * bump(569, 2.5) + 1.8 * j() * bump(588, 11) + 0.9 * j() * bump(602, 24) + 0.4 * bump(616, 3) + 0.3 * j() * bump(498, 3) + 0.5 * bump(819, 5) + 0.03,
        bump(589.3, 1.0) + 0.04 * bump(819, 1.5),
        0.3 * j() * bump(510, 80) + 0.8 * bump(546, 2) + 0.5 * j() * bump(537, 6) + 0.6 * bump(579, 2.5) + 0.5 * j() * bump(436, 2) + 0.5 * j() * bump(592, 8) + 0.1 * bump(671, 4),
        0.3 * j() * bump(452, 10) + bump(598, 55 * j(0.05)) + 0.3 * j() * bump(650, 35),
        0.8 * j() * bump(452, 10) + bump(565, 60 * j(0.05)) + 0.2 * j() * bump(620, 50),
    ]


def airglow(rng):
    return (0.5 * black_body(5900) / black_body(5900)[400] + 0.5 * (NM / 550) ** (1.2 + 0.3 * rng.normal()) + 10 * np.exp(0.3 * rng.normal()) * bump(557.7, 0.8)
            + 5 * np.exp(0.4 * rng.normal()) * bump(630, 0.8) + 2 * bump(589.2, 0.8) + 0.3 * np.exp(0.4 * rng.normal()) * (NM > 700) * (NM / 700) ** 2)


def in_v(spectrum):
    """Photons s^-1 cm^-2 nm^-1 of such light of V = 0."""
    band = np.clip(np.exp(-0.5 * ((NM - 548) / 36) ** 2), 0, 1)
    return spectrum * 9960 * band.sum() / (band * spectrum).sum()


def moonlight(phase, moon_altitude, target_altitude, separation, k=0.172):
    """Krisciunas & Schaefer 1991, nanolamberts."""
    if moon_altitude <= 0:
        return 0.0
    star = 10 ** (-0.4 * (3.84 + 0.026 * abs(phase) + 4e-9 * phase**4))
    scatter = 10**5.36 * (1.06 + np.cos(np.radians(separation)) ** 2) + 10 ** (6.15 - separation / 40)
    air = lambda altitude: (1 - 0.96 * np.cos(np.radians(altitude)) ** 2) ** -0.5
    return star * scatter * 10 ** (-0.4 * k * air(moon_altitude)) * (1 - 10 ** (-0.4 * k * air(target_altitude)))


class World:
    """Light, glass and camera of one campaign, each off from what a model would take for granted."""

    def __init__(self, seed, scale):
        rng = np.random.default_rng(seed)
        self.sources = [in_v(s) for s in lamps(rng)] + [in_v(airglow(rng))]
        self.moon = in_v(black_body(5600 * np.exp(0.03 * rng.normal())) * (NM / 550) ** (-2.2 + 0.3 * rng.normal()))
        self.moon_factor = np.exp(0.15 * rng.normal())
        self.natural = 34.08 * np.exp(20.7233 - 0.92104 * (22 + 0.12 * rng.normal()))
        sensor = np.clip(np.where(NM < 540, 0.5 + 0.32 * (NM - 400) / 140, 0.82 - 0.75 * (NM - 540) / 480), 0, 1) 
        window = 1 / (1 + np.exp(-(NM - 390) / 5))
        self.camera = [sensor * window * c for c in (0.9 / (1 + np.exp(-(NM - 590 - 2 * rng.normal()) / 7)), 0.9 * np.exp(-(np.abs(NM - 532) / 52) ** 2.4) + 0.04,
                                                     0.88 * np.exp(-(np.abs(NM - 462) / 46) ** 2.4) + 0.03)]
        self.published = self.camera  # what its maker prints, and what it is
        self.camera = [c * np.exp(0.05 * rng.normal() + 0.05 * rng.normal() * (NM - 550) / 100) for c in self.camera]
        band = lambda middle, width, peak: peak * np.exp(-np.log(2) * (2 * np.abs(NM - middle) / width) ** 6)
        self.curves = {
            "open": 0.95 / (1 + np.exp(-(NM - 401) / 3)) / (1 + np.exp((NM - 695) / 3)),
            "duo": 2e-4 + band(500.7, 7, 0.92) + band(656.4, 7, 0.92),
            "city": band(470, 110, 0.93) + band(655, 64, 0.93),
        }
        tilt = {f: 1 + 0.04 * rng.normal() for f in self.curves}  # no curve is measured better
        self.glass = {f: np.clip(c * tilt[f], 0, 1) for f, c in self.curves.items()}
        self.optics = rng.uniform(0.78, 0.95)
        self.grasp = np.pi / 4 * 8.0**2 * scale**2
        self.towns = {b: self.town(rng) for b in CLASSES}
        self.offset = {b: 0.2 * rng.normal() for b in CLASSES}  # a class is said, not measured

    @staticmethod
    def town(rng):
        shares = np.array([1, 0.2, 0.25, 0.6, 0.6]) * rng.exponential(1, 5)
        return shares / shares.sum()

    def background(self, filter_id, k, zenith, town, altitude, moon_nl):
        rise = (1 - 0.96 * np.cos(np.radians(altitude)) ** 2) ** -0.5
        rise *= 10 ** (-0.4 * 0.172 * (rise - 1))
        whole = 34.08 * np.exp(20.7233 - 0.92104 * zenith)
        natural = min(whole, self.natural)
        light = [(whole - natural) * rise * s for s in town] + [natural * rise]
        response = self.glass[filter_id] * self.camera[k] * self.optics * 0.5
        rate = lambda spectrum, nl: (spectrum * response).sum() * nl / 34.08 / np.exp(20.7233) * self.grasp  # 10^(-0.4 V) of nL
        return sum(rate(s, nl) for s, nl in zip(self.sources, light)) + rate(self.moon, moon_nl * self.moon_factor)

    def signal(self, filter_id, k, kind="emission"):
        at = lambda nm: np.interp(nm, NM, self.glass[filter_id] * self.camera[k])
        return sum(part * at(nm) for nm, part in LINES[kind])

    def time_ratio(self, filter_id, k, kind, zenith, town, altitude, moon_nl):
        read = nights.READ_NOISE**2 / nights.EXPOSURE
        noise = [self.background(f, k, zenith, town, altitude, moon_nl) + read for f in (filter_id, "open")]
        return (self.signal(filter_id, k, kind) / self.signal("open", k, kind)) ** 2 * noise[1] / noise[0]


STARTS = ["2026-06-15T19:00:00Z", "2026-06-22T17:30:00Z", "2026-06-29T18:40:00Z", "2026-06-14T20:00:00Z"]
SITE, TARGET = {"latitude_deg": -33.0, "longitude_deg": 21.0, "elevation_m": 300}, {"name": "", "ra_deg": 250.1, "dec_deg": -48.7}


def photograph(cli, folder, world, seed, bortle, start):
    folder.mkdir(parents=True)
    sky = json.loads(subprocess.run([cli, "sky", "--lat", str(SITE["latitude_deg"]), "--lon", str(SITE["longitude_deg"]), "--time", start, "--ra", str(TARGET["ra_deg"]), "--dec",
                                     str(TARGET["dec_deg"]), "--json"], capture_output=True, text=True, check=True).stdout)
    altitude = sky["target"]["alt_deg"]
    moon = moonlight(sky["moon"]["phase_angle_deg"], sky["moon"]["alt_deg"], altitude, sky["moon_separation_deg"])
    rates = lambda f: [world.background(f, k, CLASSES[bortle] + world.offset[bortle], world.towns[bortle], altitude, moon) for k in range(3)]
    brightness = 0.12 * rates("open")[0] / world.signal("open", 0)  # well seen, as people choose a target to test on
    gas = lambda f: [brightness * world.signal(f, k) for k in range(3)]
    stars = lambda f: [(world.glass[f] * c * black_body(5800)).sum() / (world.glass["open"] * c * black_body(5800)).sum() for c in world.camera]
    nights.FILTERS = [(run, f, rates(f), gas(f), stars(f), ghost) for run, f, ghost in (("A", "open", None), ("B", "duo", (34.0, 0.03)), ("C", "city", (60.0, 0.02)))]
    nights.make(folder, seed, **nights.KINDS["colour"])
    trial = json.loads((folder / "trial.json").read_text())
    trial["title"] = folder.name
    trial["site"] = SITE | {"name": folder.name, "bortle": bortle}
    trial["target"] = TARGET
    for run in trial["runs"]:
        run["start"] = start
    for f in trial["filters"]:
        (folder / f"{f['id']}.csv").write_text("".join(f"{nm},{t:.6f}\n" for nm, t in zip(NM, world.curves[f["id"]])))
        f["curve"], f["kind"] = f["id"] + ".csv", "uv-ir-cut" if f["id"] == "open" else "other"
    (folder / "trial.json").write_text(json.dumps(trial))


def main(cli, campaigns):
    rows = collections.defaultdict(list)
    scale = nights.KINDS["colour"]["scale"]
    for n in range(campaigns):
        world = World(900 + n, scale)
        rng = np.random.default_rng(5000 + n)
        with tempfile.TemporaryDirectory() as place:
            place = pathlib.Path(place)
            tested = rng.choice([3, 4, 5, 6, 7, 8], size=1 + n % 2, replace=False)
            for i, bortle in enumerate(tested):
                photograph(cli, place / f"t{i}", world, 40 + 10 * n + i, int(bortle), STARTS[rng.integers(len(STARTS))])
            camera = place / "camera.json"
            camera.write_text(json.dumps({"caelumen_camera": 1, "name": "Published", "passes_infrared": True, "pixel_um": 3.76,
                                          "channels": [{"name": c, "points": [[float(nm), float(min(1, q))] for nm, q in zip(NM, curve)]} for c, curve in zip("RGB", world.published)]}))
            lone = place / "lone.csv"
            lone.write_text((place / "t0" / "duo.csv").read_text())
            moons = [None, (0.6, 40, 70)]
            for kind in ("emission", "oxygen"):
                done = subprocess.run([cli, "grid", *[str(place / f"t{i}" / "trial.json") for i in range(len(tested))], "--curve-only", str(lone), "--camera", str(camera), "--kind", kind, "--bortle", "2..8",
                                       "--moon", "none", "0.6,40,70", "--json"], capture_output=True, text=True)
                if done.returncode:
                    sys.exit(done.stderr)
                for cell in json.loads(done.stdout)["cells"]:
                    if cell["origin"] == "empty" or cell["filter"] == "open":
                        continue
                    f, b, m = cell["filter"].replace("lone", "duo"), cell["bortle"], cell["moon"]
                    moon = m and moonlight(np.degrees(np.arccos(2 * m["illuminated"] - 1)), m["altitude_deg"], cell["target_altitude_deg"], m["separation_deg"]) or 0.0
                    where = (CLASSES[b], world.towns[b], cell["target_altitude_deg"], moon)
                    truth = world.time_ratio(f, "RGB".index(cell["channel"]), kind, *where)
                    rows[f"{kind}, {cell['origin']}"].append((np.log(cell["value"] / truth) / (cell["sigma"] / cell["value"]), cell["sigma"] / cell["value"]))
    print("| time ratio on | cells | claimed error, % | within 1 sigma, % | within 2 sigma, % | mean of the pulls |\n| --- | ---: | ---: | ---: | ---: | ---: |")
    for key, values in sorted(rows.items()):
        pulls, errors = np.array(values).T
        print(f"| {key} | {len(pulls)} | {100 * np.median(errors):.0f} | {100 * np.mean(abs(pulls) < 1):.0f} | {100 * np.mean(abs(pulls) < 2):.0f} | {pulls.mean():+.2f} |")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 10)
