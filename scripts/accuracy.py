"""Compares results.json with truth.json in each folder given and prints a section of docs/accuracy.md. Standard library only."""
import collections
import json
import statistics
import sys

rows = collections.defaultdict(list)
missing = collections.Counter()
limits = collections.Counter()
for folder in sys.argv[1:]:
    truth = json.load(open(folder + "/truth.json"))["measurements"]
    results = json.load(open(folder + "/results.json"))
    measured = {(m["run"], m["channel"], m["quantity"], m["region"]): m for m in results["measurements"]}
    for t in truth:
        m = measured.get((t["run"], t["channel"], t["quantity"], t["region"]))
        if m is None:
            missing[t["quantity"]] += 1
        elif "upper-limit" in m["flags"]:
            limits[t["quantity"]] += 1
        else:
            rows[t["quantity"]].append((m["value"] - t["value"], m["sigma"], t["value"]))

print("## The demo\n")
print("Three trials, thirteen runs, three channels each, measured by `caelumen-cli measure` and compared with the truth of the virtual night: harder than the nights above, with nebula that fills the frame, dust, aureoles, unresolved stars and fog.\n")
print("Error is measured minus true, relative to the true value except for magnitudes, angles and star colours. Pulls are errors over the claimed sigma: within 1 should be 68 %, within 3 all but 0.3 %.\n")
print("| quantity | figures | median error | middle 68 % of errors | within 1 sigma | within 3 sigma | limits | absent |")
print("| --- | --- | --- | --- | --- | --- | --- | --- |")
plain = {"background_mag", "halo_depth", "gradient_angle", "vignette", "colour_slope", "colour_cast", "colour_scatter", "noise_correlation"}
for name in sorted(rows):
    errors = sorted((d if name in plain else d / abs(t)) for d, s, t in rows[name] if name in plain or t != 0)
    pulls = [abs(d) / s if s > 0 else 99 for d, s, t in rows[name]]
    low, high = errors[int(0.16 * (len(errors) - 1))], errors[int(0.84 * (len(errors) - 1) + 0.5)]
    show = (lambda v: f"{v:+.4f}") if name in plain else (lambda v: f"{100 * v:+.2f} %")
    print(f"| `{name}` | {len(pulls)} | {show(statistics.median(errors))} | {show(low)} to {show(high)} | {100 * sum(p < 1 for p in pulls) / len(pulls):.0f} % | {100 * sum(p < 3 for p in pulls) / len(pulls):.0f} % | {limits[name]} | {missing[name]} |")
print("""
What limits it, and where the claimed errors are still too small:

- **Background on the dark plateau**: the aureoles of all stars together, beyond where any of them can be seen, brighten the sky by half a per cent. Their light is estimated from how the wings end and from how the sky follows the crowd; most of it is found.
- **Nebula that fills the frame**: faint outskirts left in the sky model bend its radial term; the nebula signal is then off by a few per cent, most on the dark plateau where the gas outshines the sky.
- **The foggy run** (garden, run E): star light spread by fog makes the sky uneven. It is flagged as haze.
- **`colour_slope`**: real filters do not keep star colours on a straight line, and the truth takes every star above SNR 20 by formula, the measurement those that are also lonely.
- **Halos over nebula** (red channel): gas around the star cannot be told fully from the disc; blue and green are better.
- `throughput` and `time_ratio` are absent where the nebula is not detected in the baseline, halo figures are limits where the disc is below the noise: neither is an error.
""")
