#!/usr/bin/python3
"""Recomputes a verdict by hand: verdict.py VERDICT.json, as `caelumen-cli verdict PROFILE.json TRIAL.json... --json` writes it. Scores, errors, ties, hours and
prices per hour from the figures that the file lists and from nothing else. Says what does not agree, and fails."""
import json
import math
import sys


def close(a, b, of):
    return abs(a - b) <= 1e-6 * max(1.0, abs(of))


def main(path):
    verdict = json.load(open(path, encoding="utf-8"))
    profile = verdict["profile"]
    weights = profile["weights"]
    total = sum(weights.values())
    wrong = []

    def check(what, ours, theirs):
        if not close(ours, theirs, theirs):
            wrong.append(f"{what}: {ours:.9g} by hand, {theirs:.9g} in the file")

    ranking = {f["filter"]: f for f in verdict["ranking"]}
    for name, f in ranking.items():
        score = variance = 0.0
        for merit, weight in weights.items():
            own = [x for x in f["figures"] if x["merit"] == merit]
            share = sum(x["share"] for x in own)
            step = sum(x["share"] * x["step"] for x in own) / share if share else 0.0
            sigma = sum(x["share"] * x["step_sigma"] for x in own) / share if share else 0.0
            check(f"{name}, {merit}", step, f["steps"][merit]["step"])
            score += weight / total * step
            variance += (weight / total * sigma) ** 2
            for x in own:  # steps from the figures themselves
                if x["origin"] == "assumed" or merit != "nebula" or x["value"] <= 0.01:
                    continue
                check(f"{name}, step of {x['value']}", math.log(x["value"]) / math.log(1.25), x["step"])
        check(f"{name}, score", score, f["score"])
        check(f"{name}, sigma", math.sqrt(variance), f["sigma"])
    for name, f in ranking.items():
        tied = [g for g, other in ranking.items() if g != name and abs(other["score"] - f["score"]) < 1.96 * math.hypot(other["sigma"], f["sigma"])]
        if sorted(tied) != sorted(f["tied_with"]):
            wrong.append(f"{name}: tied with {sorted(tied)} by hand, {sorted(f['tied_with'])} in the file")
    if abs(sum(f["p_best"] for f in ranking.values()) - 1) > 1e-9:
        wrong.append("chances of being best do not sum to one")

    baseline = next(n for n, f in ranking.items() if f["score"] == 0 and all(x["step"] == 0 for x in f["figures"]))
    owned = ranking[profile.get("owned") or baseline]
    hours = profile["clear_hours_per_year"]
    for value in verdict["value"]:
        f = ranking[value["filter"]]
        saved = 0.0
        if f is not owned:
            for mine, theirs in zip(f["figures"], owned["figures"]):
                if mine["merit"] == "nebula" and mine["value"] > 0.01 and theirs["value"] > 0.01:
                    saved += mine["share"] * (1 - theirs["value"] / mine["value"])
        check(f"{value['filter']}, hours saved", hours * saved, value["hours_saved_per_year"])
        if value["price_per_hour_saved"] is not None:
            check(f"{value['filter']}, price of an hour", value["price"] / value["hours_saved_per_year"], value["price_per_hour_saved"])
    for line in wrong:
        print(line)
    print(f"{len(ranking)} filters, {sum(len(f['figures']) for f in ranking.values())} figures: {'all agree' if not wrong else f'{len(wrong)} differ'}")
    return 1 if wrong else 0


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit(__doc__)
    sys.exit(main(sys.argv[1]))
