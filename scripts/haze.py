"""How much of a star's light fog, and how much another seeing, puts into the wings that tell haze: virtual nights as in nights.py, with one run spoiled.

haze.py CLI: prints what caelumen-cli says about that run. Needs numpy and astropy.
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np

import nights


def fog(part):
    """`part` of the light in a wide glow of 14 FWHM."""
    def profile(r2, fwhm):
        a2 = (14 * fwhm / 2) ** 2 / (2 ** (1 / 1.5) - 1)
        return (1 - part) * nights.moffat(r2, fwhm) + part * 0.5 / (np.pi * a2) * (1 + r2 / a2) ** -1.5
    return profile


def seeing(beta, widening):
    def profile(r2, fwhm):
        a2 = (fwhm * widening / 2) ** 2 / (2 ** (1 / beta) - 1)
        return (beta - 1) / (np.pi * a2) * (1 + r2 / a2) ** -beta
    return profile


SPOILED = {"clear": seeing(nights.BETA, 1), "other wings": seeing(2.5, 1), "bad seeing": seeing(2.5, 1.3), "soft focus": seeing(4.5, 1.3),
           **{f"{part:.0%} fog": fog(part) for part in (0.05, 0.1, 0.2, 0.3)}}


def main(cli):
    print("| spoiled by | frames | what is said |")
    print("| --- | --- | --- |")
    for name, profile in SPOILED.items():
        for kind, options in nights.KINDS.items():
            with tempfile.TemporaryDirectory() as work:
                folder = pathlib.Path(work)
                nights.make(folder, 100, **options, spoiled={"C": profile})
                done = subprocess.run([cli, "measure", str(folder / "trial.json")], capture_output=True, text=True, check=True)
            said = [f"{f['grade']}: {f['text']}" for f in json.loads(done.stdout)["fairness"] if f["run"] == "C" and f["subject"] == "haze"]
            print(f"| {name} | {kind} | {' '.join(said) or '-'} |", flush=True)


if __name__ == "__main__":
    main(sys.argv[1])
