"""What must not change does not: one sky stacked from few and from many subs, another baseline, one run smoothed. Virtual nights as in nights.py.

depths.py CLI SEEDS: prints measured over true values. Needs numpy and astropy.
"""
import json
import pathlib
import sys
import tempfile

import numpy as np
from astropy.io import fits

import nights

WANTED = ("box_noise", "nebula_snr_hour", "time_ratio")


def ratios(cli, seed, change=None, **options):
    """Measured over true, by quantity and run, of one mono night."""
    with tempfile.TemporaryDirectory() as work:
        folder = pathlib.Path(work)
        truth = nights.make(folder, seed, **(nights.PLAIN | dict(channels="L") | options))
        if change:
            change(folder)
        measured = nights.measure(cli, folder)
    true = {(t["run"], t["quantity"]): t["value"] for t in truth}
    return {(m["run"], m["quantity"]): (m["value"], true.get((m["run"], m["quantity"]))) for m in measured.values() if m["quantity"] in WANTED}


def smooth(folder):
    """Spreads each pixel of run C over its neighbours, as a denoiser or another interpolation would: noise and stars."""
    path = folder / "C.fits"
    data, header = fits.getdata(path).astype(float), fits.getheader(path)
    data = (data + np.roll(data, 1, 0) + np.roll(data, 1, 1) + np.roll(data, (1, 1), (0, 1))) / 4
    fits.writeto(path, data.astype("f4"), header, overwrite=True)


def swap(folder):
    trial = json.loads((folder / "trial.json").read_text())
    for run in trial["runs"]:
        run["baseline"] = run["id"] == "C"
    c = [r for r in trial["runs"] if r["id"] == "C"]
    trial["runs"] = c + [r for r in trial["runs"] if r["id"] != "C"]
    (folder / "trial.json").write_text(json.dumps(trial))


def main(cli, seeds):
    print("| subs | box noise A | B | C | SNR in an hour A | B | C | time ratio B | C |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    for subs in (5, 20, 80, 320):
        each = [ratios(cli, seed, subs=subs) for seed in range(seeds)]
        cell = lambda run, q: f"{np.mean([e[run, q][0] / e[run, q][1] for e in each]):.2f} \u00b1 {np.std([e[run, q][0] / e[run, q][1] for e in each]):.2f}"
        print(f"| {subs} | " + " | ".join([cell(r, q) for q in WANTED[:2] for r in "ABC"] + [cell(r, "time_ratio") for r in "BC"]) + " |", flush=True)
    print("\nTime ratio of B over C, which no choice of a baseline may change, and of C with that run smoothed over 2 x 2 pixels (its stars 8 % wider), over what it was:\n")
    print("| night | B over C, baseline A | baseline C | C smoothed over C |\n| --- | --- | --- | --- |")
    for seed in range(seeds):
        plain, turned, soft = ratios(cli, seed), ratios(cli, seed, swap), ratios(cli, seed, smooth)
        print(f"| {seed} | {plain['B', 'time_ratio'][0] / plain['C', 'time_ratio'][0]:.2f} | {turned['B', 'time_ratio'][0]:.2f} | {soft['C', 'time_ratio'][0] / plain['C', 'time_ratio'][0]:.3f} |", flush=True)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
