#pragma once

#include "core/measure/halo.h"

#include <utility>

/// What the sectors of a halo's profile tell that their mean does not.
namespace caelumen {

/// Where the middles of the sectors lie, as directions.
extern const std::array<Point, kHaloSectors> kTowards;

/// Mean over the sectors and its error, with a slope across the star (nebula, gradient) fitted along, since it cancels in the mean but not in the
/// scatter. Sectors more than 2.5 sigma off are left out. The error is 0 where fewer than 7 sectors are seen.
std::pair<double, double> meanOverSectors(const std::array<float, kHaloSectors>& sectors);

/// First moment of the sectors: a disc shifted by d carries a moment of its flux times d. The sky's own slope, seen outside the disc, is taken off first.
/// `known`: an offset found before, stored pixels.
void measureOffset(const HaloProfile& p, HaloRing& ring, double pitch, double known = 0);

/// Whether the edge of a disc is seen all round, as far as the noise lets tell: light that steps down at a radius on one side only is nebula, or a neighbour.
/// `height` is of the disc, radii and blur in plane pixels.
bool closesAround(const HaloProfile& p, double edge, double hole, double height, double blur);

/// Light on one side that stands out of the others, in units of the star's: the most of any sector beyond the middle one, with its error.
struct OneSided {
    double light = 0, sigma = 0;
};
OneSided oneSided(const HaloProfile& p, std::size_t from, std::size_t to);

} // namespace caelumen
