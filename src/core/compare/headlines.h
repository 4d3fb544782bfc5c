#pragma once

#include "core/model/results.h"

namespace caelumen {

/// Marks, for every run and quantity, the one row that speaks for it: nebula figures by the channel of best SNR (or the region's own), background and
/// gradient by the channel of the first nebula region (else G or L), halos by the channel and ring that show most light, colour by B-R.
void chooseHeadlines(const Trial& trial, TrialResults& results);

} // namespace caelumen
