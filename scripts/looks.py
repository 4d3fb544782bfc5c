"""How often something is told apart that does not differ, and how soon something that does: nights made with numpy alone, looked at after every sub.

Usage: looks.py CLI [NIGHTS]. Sky, starlight and sharpness of subs in blocks A B B A; haze that walks, a moon that rises, seeing, focus that is not quite the same
after each swap, clouds that cost subs. Five quantities share one part in twenty.
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np

CLI, NIGHTS = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 2000
ALPHA = 0.05 / 5


def night(rng, blocks, per_block, haze, difference):
    """Rows (second, filter, value) of five quantities, values as logarithms."""
    cadence, pause = rng.uniform(60, 320), rng.uniform(20, 500)
    rise, strength, width = rng.uniform(0, 6) * 3600, rng.uniform(0, 2), rng.uniform(600, 3000)
    walk = lambda x, size, memory, dt: x * np.exp(-dt / memory) + size * np.sqrt(1 - np.exp(-2 * dt / memory)) * rng.standard_t(5) / np.sqrt(5 / 3)
    memory = rng.uniform(0.3, 3) * 3600
    air, seeing, t = haze * rng.normal(), 0.1 * rng.normal(), 0.0
    tilt, bend = 0.1 * rng.normal(), 0.03 * rng.normal()
    rows = [[] for _ in range(5)]
    for block in range(blocks):
        which = (block + 1) // 2 % 2 if per_block > 1 else block % 2
        t += pause
        air, seeing = walk(air, haze, memory, pause), walk(seeing, 0.1, 1200, pause)
        focus = 0.03 * rng.normal()
        lost = rng.integers(0, per_block + 1) if rng.random() < 0.1 else 0
        for i in range(per_block):
            t += cadence
            air, seeing = walk(air, haze, memory, cadence), walk(seeing, 0.1, 1200, cadence)
            if i < lost:
                continue
            h = t / 3600
            sky = tilt * h + bend * h * h + strength / (1 + np.exp(-(t - rise) / width)) + 0.7 * air
            d = difference * which
            for row, value, noise in zip(rows, (0.8 * sky, sky, 1.3 * sky, -air - 0.03 * h, seeing + focus), (0.005, 0.004, 0.007, 0.012, 0.02)):
                row.append((t, "AB"[which], value + d + noise * rng.normal()))
    return rows


def told(blocks, per_block, haze, difference, nights, seed):
    """Part of nights in which anything is told apart, and for each quantity the part and the mean time in blocks."""
    rng = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)
        names = [[], []]
        lengths = []
        for n in range(nights):
            rows = night(rng, blocks, per_block, haze, difference)
            lengths.append(rows[0][-1][0])
            for q, table in enumerate(rows):
                path = folder / f"{n}-{q}.csv"
                path.write_text("".join(f"{t:.3f},{f},{v:.9g}\n" for t, f, v in table))
                names[q == 4].append(path)
        found = {}
        for swaps_only, paths in enumerate(names):
            for i in range(0, len(paths), 4000):
                out = subprocess.run([CLI, "evidence", "--json", "--alpha", str(ALPHA), *(["--swaps-only"] if swaps_only else []), *map(str, paths[i:i + 4000])],
                                     check=True, capture_output=True, text=True).stdout
                for table in json.loads(out)["tables"]:
                    n, q = map(int, pathlib.Path(table["file"]).stem.split("-"))
                    pair = table["pairs"][0]
                    found[n, q] = (pair["told_apart"], pair["told_at"])
    anything = np.mean([any(found[n, q][0] for q in range(5)) for n in range(nights)])
    green = [found[n, 1] for n in range(nights)]
    part = np.mean([g[0] for g in green])
    when = [g[1] / lengths[n] * blocks for n, g in enumerate(green) if g[0]]
    return anything, part, np.mean(when) if when else float("nan")


print("| night | anything told apart without a difference |\n| --- | --- |")
for name, blocks, per_block, haze in (("48 blocks of one sub (a wheel, A B A B)", 48, 1, 0.04), ("24 blocks of four", 24, 4, 0.04), ("12 blocks of ten", 12, 10, 0.04),
                                      ("4 blocks of twenty", 4, 20, 0.04), ("24 blocks of four, still air", 24, 4, 0.003), ("24 blocks of four, restless air", 24, 4, 0.15)):
    print(f"| {name} | {100 * told(blocks, per_block, haze, 0, NIGHTS, 1)[0]:.2f} % of {NIGHTS} |", flush=True)
print("\n| difference of the sky, 24 blocks of four | nights in which it is told | after blocks |\n| --- | --- | --- |")
for difference in (0.02, 0.05, 0.1, 0.3, 1.0):
    _, part, when = told(24, 4, 0.04, difference, max(50, NIGHTS // 10), 2)
    print(f"| {100 * np.expm1(difference):.0f} % | {100 * part:.0f} % | {when:.1f} |", flush=True)
