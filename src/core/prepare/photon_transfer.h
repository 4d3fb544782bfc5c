#pragma once

#include "core/base/job.h"
#include "core/base/result.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// One level of light in two frames that were lit alike: mean above the offset, and the variance of one frame there.
struct TransferPoint {
    double signal_adu = 0, variance_adu2 = 0, sigma_adu2 = 0;
};

/// What flats and biases tell of the pixels of one colour site. Sigmas are one standard error.
struct SiteTransfer {
    std::string site; ///< "L" of a monochrome camera; "R", "G1", "G2", "B"
    double gain_e_per_adu = 0, gainSigma = 0;
    std::optional<double> readNoise_e, readNoiseSigma_e; ///< nothing where it drowns in the steps of the converter
    double offset_adu = 0;                               ///< mean of the biases
    double brightest_adu = 0;                            ///< above the offset, in the flats
    std::optional<double> fullWell_e, fullWellSigma_e;   ///< where pixels stop, well or converter; nothing where no frame reaches that
    std::optional<double> bend, bendSigma;               ///< part by which the brightest flats lie above a line through the fainter ones; needs three exposures
    std::vector<TransferPoint> curve;                    ///< by signal
};

struct PhotonTransfer {
    std::vector<SiteTransfer> sites;
    double gain_e_per_adu = 0, gainSigma = 0; ///< of all sites together
    std::optional<double> readNoise_e, readNoiseSigma_e;
    std::optional<double> fullWell_e, fullWellSigma_e; ///< the least of the sites
    std::optional<double> header_e_per_adu;            ///< what the flats' header claims (EGAIN)
    int flatPairs = 0, biasPairs = 0;
    std::vector<std::string> notes; ///< what a person should know, in sentences
};

/// Photon transfer (Janesick 2001, Scientific Charge-Coupled Devices, chapter 4; Mortara & Fowler 1981, Proc. SPIE 290, 28): in the difference of two flats
/// only noise is left, and its variance grows with the light as signal / gain. Of flats of one exposure each two are held against each other, brought to one
/// level; variances and levels are taken in tiles, so that vignetting, dust and a lamp that wanders do no harm, and pixels five sigmas off (hits, telegraph
/// noise) are left out. Read noise comes from differences of biases, less the converter's own steps. Errors come from the scatter of tiles. Needs raw frames of
/// one camera: two flats and two biases at least. `lights` are looked at for where pixels stop. An Error is a sentence.
Result<PhotonTransfer> photonTransfer(const std::vector<std::filesystem::path>& flats, const std::vector<std::filesystem::path>& biases,
                                      const std::vector<std::filesystem::path>& lights = {}, const Job& job = {});

} // namespace caelumen
