#!/usr/bin/python3
"""Sun, moon and target at random places and times against an independent library (python3-astropy), as printed by `caelumen-cli sky`.

Usage: scripts/ephemeris.py [how many]. Prints the worst differences: degrees, parts for the lit part of the moon (topocentric in both) and the airmass.
"""
import json
import random
import subprocess
import sys
import warnings
from pathlib import Path

warnings.filterwarnings("ignore")
import astropy.units as u
import numpy as np
from astropy.coordinates import AltAz, EarthLocation, SkyCoord, get_body
from astropy.time import Time
from astropy.utils import iers

iers.conf.auto_download = False
iers.conf.auto_max_age = None
iers.conf.iers_degraded_accuracy = "ignore"
CLI = Path(__file__).resolve().parent.parent / "build/release/src/cli/caelumen-cli"


def differences(rng):
    lat, lon, height = rng.uniform(-88, 88), rng.uniform(-180, 180), rng.uniform(0, 3000)
    time = Time(f"{rng.randint(1975, 2049)}-{rng.randint(1, 12):02d}-{rng.randint(1, 28):02d}T{rng.randint(0, 23):02d}:{rng.randint(0, 59):02d}:00", scale="utc")
    ra, dec = rng.uniform(0, 360), float(np.degrees(np.arcsin(rng.uniform(-1, 1))))
    args = ["sky", "--json"] + [str(x) for pair in {"--lat": lat, "--lon": lon, "--elevation": height, "--time": time.isot, "--ra": ra, "--dec": dec}.items() for x in pair]
    ours = json.loads(subprocess.run([CLI, *args], capture_output=True, text=True, check=True).stdout)
    here = EarthLocation(lat=lat * u.deg, lon=lon * u.deg, height=height * u.m)
    frame = AltAz(obstime=time, location=here, pressure=0 * u.hPa)
    moon, sun, target = (c.transform_to(frame) for c in (get_body("moon", time, here), get_body("sun", time, here), SkyCoord(ra * u.deg, dec * u.deg)))
    place = lambda p: SkyCoord(p["az_deg"] * u.deg, p["alt_deg"] * u.deg)
    apart = lambda p, c: place(p).separation(SkyCoord(c.az, c.alt)).deg
    m, s = moon.cartesian.xyz.to(u.km).value, sun.cartesian.xyz.to(u.km).value
    lit = (1 - np.dot(s - m, m) / np.linalg.norm(s - m) / np.linalg.norm(m)) / 2
    out = {"sun": apart(ours["sun"], sun), "moon": apart(ours["moon"], moon), "target": apart(ours["target"], target), "lit part": abs(lit - ours["moon"]["illuminated"])}
    if target.alt.deg > 10:
        airmass = 1 / (np.sin(target.alt.rad) + 0.50572 * (target.alt.deg + 6.07995) ** -1.6364)
        out["airmass"] = abs(ours["target"]["airmass"] / airmass - 1)
    return out


worst = {}
rng = random.Random(7)
for _ in range(int(sys.argv[1]) if len(sys.argv) > 1 else 300):
    for name, value in differences(rng).items():
        worst[name] = max(worst.get(name, 0), float(value))
for name, value in worst.items():
    print(f"{name}: {value:.5f}")
