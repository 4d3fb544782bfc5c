#pragma once

/// Words of trial files (docs/formats.md) that code decides by.
namespace caelumen {

namespace filter_kind {
inline constexpr const char *none = "none", *uvIrCut = "uv-ir-cut", *lightPollution = "light-pollution", *multiBand = "multi-band", *dualBand = "dual-band",
                            *singleLine = "single-line", *nearInfrared = "near-infrared", *other = "other";
} // namespace filter_kind

/// How the subs of a stack were combined.
namespace combined_by {
inline constexpr const char *mean = "mean", *median = "median", *sum = "sum";
} // namespace combined_by

} // namespace caelumen
