#pragma once

namespace caelumen {

/// How often chance alone would match as many: the decimal logarithm of `tried` times the upper tail of the binomial distribution, P(N >= `matched`) for
/// `tested` places of which each meets a star with probability `p` (0..1). Four of their coordinates were used up by fitting a similarity: two matches and two
/// places are taken off first. 0 or more: no wonder at all. After the a-contrario reasoning of Desolneux, Moisan & Morel (2000, IJCV 40, 7): a match is
/// believed when fewer than a given number of its kind are expected among all that were tried.
double chanceMatches_log10(int matched, int tested, double p, double tried);

} // namespace caelumen
