#pragma once

#include <cstddef>
#include <optional>
#include <vector>

namespace caelumen {

/// One quantity of one sub.
struct LivePoint {
    double second = 0;      ///< middle of the sub
    std::size_t filter = 0; ///< 0 ..
    double value = 0;       ///< a logarithm where the quantity is a ratio
};

/// A step from some subs to the next ones: what the evidence is made of.
struct LiveStep {
    std::size_t from = 0, to = 0;   ///< filters; the same one for a step within a block
    double change = 0, seconds = 0; ///< in the unit of the points; from the middle of one to that of the other
    double spread = 1;              ///< its variance over that of a usual step, as far as number of subs and time between them go
    double second = 0;              ///< when its last sub was there
};

/// Steps between neighbours in time. At each swap of filters the last subs of one block are held against the first of the next; what lies in the middle of a
/// block is held against itself, which tells how the sky wanders (`within`). Every sub counts in one step at most, and a step that is there stays as it is when
/// more subs come, so that looking often does no harm. No step leads over a gap longer than `longestGap_s`.
std::vector<LiveStep> stepsOf(std::vector<LivePoint> points, bool within, double longestGap_s = 2700);

/// What a number of steps tells of the difference of two filters (b less a).
struct LiveEvidence {
    int steps = 0;
    double difference = 0, sigma = 0; ///< least squares, and its usual error: holds for one look only
    std::optional<double> low, high;  ///< bounds that hold at all looks together
    double logEvidence = 0;           ///< natural logarithm of the odds against no difference
    double second = 0;                ///< after the step that it rests on
};

/// The evidence after each step, oldest first; empty while the steps do not link the two. Model: each step is the difference of its filters' effects, a steady
/// drift, and noise of unknown size. The odds are the invariant Bayes factor of Lindon, Ham, Tingley & Bojinov (2022, arXiv:2210.08589; for one sample Lai
/// 1976, Ann. Statist. 4, 265), with effects of `effect` sigmas expected: under no difference they exceed 1 / alpha at any time in a part alpha of all nights
/// at most (Ville 1939), and the differences they do not rule out are a confidence sequence (Howard, Ramdas, McAuliffe & Sekhon 2021, Ann. Statist. 49, 1055).
std::vector<LiveEvidence> evidenceOf(const std::vector<LiveStep>& steps, std::size_t a, std::size_t b, double alpha, double effect = 10);

/// How many more blocks like those so far until the odds reach 1 / alpha, if the difference is `difference`; nothing where two hundred do not.
std::optional<int> blocksToTell(const std::vector<LiveStep>& steps, std::size_t a, std::size_t b, double alpha, double difference, double effect = 10);

} // namespace caelumen
