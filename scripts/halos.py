"""Halos of many shapes around stars on noise whose truth is known, made with numpy alone; each is measured by caelumen-cli.

halos.py CLI SEEDS: prints how often a disc or ring is found, how well it is measured, and how often something is seen where nothing is. Needs numpy and astropy.
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
from astropy.io import fits

SKY, SIGMA, FLUX, FWHM, BETA = {"A": 1.2, "B": 0.2}, {"A": 0.018, "B": 0.008}, 6000.0, 3.0, 3.2


def star(r2, width):
    a2 = (width / 2) ** 2 / (2 ** (1 / BETA) - 1)
    return (BETA - 1) / (np.pi * a2) * (1 + r2 / a2) ** -BETA


def ghost(x, y, radius, hole, soft=0.0):
    """A ring of height 1 with edges `soft` pixels wide (rms)."""
    r, width = np.hypot(x, y), max(soft, 0.29) / 1.81
    edge = lambda at: 1 / (1 + np.exp(np.clip((r - at) / width, -60, 60)))
    return edge(radius) - (edge(hole * radius) if hole > 0 else 0)


def make(folder, seed, ghosts, nebula=0.0, neighbours=0, spikes=0.0, blob=0.0, obstruction=0.0, corner=False, saturated=False, seeing=1.03):
    """`ghosts`: (radius px, hole, sigmas of a pixel, offset px, softness px). Gives the part of the star's light in each."""
    rng = np.random.default_rng(seed)
    reach = max([g[0] for g in ghosts], default=40)
    size = int(max(480, 5.2 * reach))
    yy, xx = np.mgrid[0:size, 0:size].astype(float)
    at = (0.5 * size + 3.3, 0.5 * size - 4.2) if not corner else (0.45 * reach, 0.5 * size)
    n = 120
    sx, sy, flux = rng.uniform(0, size, n), rng.uniform(0, size, n), 10 ** rng.uniform(0.3, 2.3, n)
    keep = np.hypot(sx - at[0], sy - at[1]) > 25
    sx, sy, flux = sx[keep], sy[keep], flux[keep]
    for _ in range(neighbours):
        turn, away = rng.uniform(0, 2 * np.pi), rng.uniform(15, 1.3 * reach + 15)
        sx, sy, flux = np.append(sx, at[0] + away * np.cos(turn)), np.append(sy, at[1] + away * np.sin(turn)), np.append(flux, 10 ** rng.uniform(1, 2.7))
    fractions = []
    for run, light in (("A", 1.0), ("B", 0.5)):
        image = np.full((size, size), SKY[run]) + nebula * SIGMA[run] * np.exp(-((xx - at[0] - 60) ** 2 + (yy - at[1] - 30) ** 2) / (2 * 90.0**2)) * (1 + 0.2 * np.sin(xx / 23) * np.cos(yy / 31))
        for x, y, f in list(zip(sx, sy, flux)) + [(*at, FLUX)]:
            image += f * light * star((xx - x) ** 2 + (yy - y) ** 2, FWHM * (seeing if run == "B" else 1))
        if spikes:
            dx, dy = xx - at[0], yy - at[1]
            image += spikes * SIGMA[run] * (np.exp(-np.abs(dx) / 2 - np.abs(dy) / 25) + np.exp(-np.abs(dy) / 2 - np.abs(dx) / 25))
        if run == "B":
            for radius, hole, depth, offset, soft in ghosts:
                disc = ghost(xx - at[0] - 0.8 * offset, yy - at[1] + 0.6 * offset, radius, hole, soft)
                image += depth * SIGMA["B"] * disc
                fractions.append(depth * SIGMA["B"] * np.pi * radius**2 * (1 - hole**2) / (FLUX * light))
            if blob:
                image += blob * SIGMA["B"] * np.exp(-((xx - at[0] - 22) ** 2 + (yy - at[1] - 9) ** 2) / (2 * 7.0**2))
        image += SIGMA[run] * np.sqrt(np.maximum(image, 0) / SKY[run]) * rng.standard_normal((size, size))
        if saturated:
            image = np.minimum(image, 60.0)
        fits.writeto(folder / f"{run}.fits", image.astype("f4"), fits.Header({"EXPTIME": 1.0}), overwrite=True)
    trial = {
        "caelumen_trial": 1, "title": "halo",
        "rig": {"focal_length_mm": 480, "aperture_mm": 80, "obstruction": obstruction, "pixel_um": 3.76, "gain_e_per_adu": 1, "pedestal_adu": 0, "full_scale_adu": 66 if saturated else 1e6},
        "filters": [{"id": "open", "name": "open", "kind": "none"}, {"id": "duo", "name": "duo", "kind": "dual-band"}],
        "runs": [{"id": r, "filter": f, "baseline": r == "A", "stack": r + ".fits", "combine": "mean", "sub_exposure_s": 1, "sub_count": 1000} for r, f in (("A", "open"), ("B", "duo"))],
        "regions": [{"id": "h1", "role": "halo_star", "at": list(at)}, {"id": "s1", "role": "sky", "shape": "rect", "min": [10, 10], "max": [size - 10, 90]}],
    }
    (folder / "trial.json").write_text(json.dumps(trial))
    return fractions


def measure(cli, folder):
    done = subprocess.run([cli, "measure", str(folder / "trial.json")], capture_output=True, text=True)
    if done.returncode:
        sys.exit(done.stderr)
    return {(m["quantity"], m["region"]): m for m in json.loads(done.stdout)["measurements"] if m["run"] == "B" and (m["region"] or "").startswith("h1")}


def night(cli, seed, ghosts, **options):
    with tempfile.TemporaryDirectory() as work:
        fractions = make(pathlib.Path(work), seed, ghosts, **options)
        return fractions, measure(cli, pathlib.Path(work))


def told(found):
    """What a person is told: found, a limit, or that light is unexplained."""
    if ("halo_radius", "h1") in found:
        return "found"
    light = found.get(("halo_flux_fraction", "h1"))
    return "nothing" if light is None else "unexplained" if "unexplained-light" in light["flags"] else "limit"


def holds(fraction, found):
    """Whether a limit on the light of a disc lies above what is there."""
    return fraction <= found[("halo_flux_fraction", "h1")]["value"]


def row(cli, seeds, radius, hole, depth, offset=0.0, soft=0.0, **options):
    counts, errors, pulls, holes, wrong = {"found": 0, "limit": 0, "unexplained": 0, "nothing": 0}, [], [], [], 0
    for seed in range(seeds):
        fractions, found = night(cli, seed, [(radius, hole, depth, offset, soft)], **options)
        what = told(found)
        counts[what] += 1
        if what == "found":
            errors.append(found[("halo_radius", "h1")]["value"] / radius - 1)
            f = found[("halo_flux_fraction", "h1")]
            pulls.append((f["value"] / fractions[0] - 1, (f["value"] - fractions[0]) / f["sigma"]))
            h = found[("halo_hole", "h1")]
            if "upper-limit" not in h["flags"]:
                holes.append(h["value"] - hole)
    show = lambda v, f: f.format(float(np.median(v))) if len(v) else "-"
    return (f"| {radius:g} | {hole:g} | {depth:g} | {counts['found']} of {seeds} | {counts['unexplained']} | {counts['limit']} | {show(errors, '{:+.1%}')} | {show([p[0] for p in pulls], '{:+.0%}')} | "
            f"{show([abs(p[1]) for p in pulls], '{:.1f}')} | {show(holes, '{:+.2f}')} |")


HEAD = "| radius (px) | hole | sigmas a pixel | found | unexplained | limit | radius error | light error | its pull | hole error |\n| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |"


def main(cli, seeds):
    print("Discs and rings by hole and depth, of 30 pixels about a star of 3000 e-/s (medians over what was found):\n")
    print(HEAD)
    for hole in (0, 0.2, 0.35, 0.5, 0.6, 0.74, 0.85, 0.95):
        for depth in (0.3, 1, 3, 10):
            print(row(cli, seeds, 30, hole, depth), flush=True)
    print("\nBy radius:\n")
    print(HEAD)
    for radius in (12, 20, 60, 110, 200):
        for hole in (0, 0.5, 0.8):
            print(row(cli, max(2, seeds // 2), radius, hole, 3), flush=True)
    print("\nHarder ones, of 30 pixels and a hole of 0.5 at three sigmas:\n")
    print("| | " + HEAD.split("\n")[0][2:] + "\n| --- " + HEAD.split("\n")[1])
    for said, options in {
        "obstructed telescope (0.35)": dict(obstruction=0.35), "five pixels off the star": dict(offset=5.0), "edges three pixels soft": dict(soft=3.0), "on nebula": dict(nebula=5.0),
        "near neighbours": dict(neighbours=6), "half of it beyond the frame": dict(corner=True), "saturated star": dict(saturated=True), "spikes in both runs": dict(spikes=20.0),
    }.items():
        print(f"| {said} " + row(cli, seeds, 30, 0.5, 3, **options), flush=True)
    print("\nWhere there is no halo:\n")
    print("| | told of a halo | unexplained | limit |\n| --- | --- | --- | --- |")
    for said, options in {"nothing": {}, "nebula": dict(nebula=5.0), "neighbours": dict(neighbours=6), "spikes in both runs": dict(spikes=20.0), "another seeing": dict(seeing=1.25), "a blob on one side": dict(blob=5.0)}.items():
        counts = [told(night(cli, 100 + seed, [], **options)[1]) for seed in range(3 * seeds)]
        print(f"| {said} | {counts.count('found')} of {len(counts)} | {counts.count('unexplained')} | {counts.count('limit')} |", flush=True)


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
