#include "cli/transfer_command.h"

#include "cli/outcome.h"
#include "core/base/json.h"
#include "core/prepare/photon_transfer.h"

namespace caelumen::cli {
namespace fs = std::filesystem;

namespace {

bool isFileName(const std::string& word) {
    return word.rfind("--", 0) != 0;
}

std::vector<fs::path> paths(const std::vector<std::string>& words) {
    return {words.begin(), words.end()};
}

Json numberOrNull(const std::optional<double>& v) {
    return v ? Json(*v) : Json(nullptr);
}

Json toJson(const PhotonTransfer& t) {
    Json sites = Json::array();
    for (const SiteTransfer& s : t.sites) {
        Json curve = Json::array();
        for (const TransferPoint& p : s.curve)
            curve.push_back({{"signal_adu", p.signal_adu}, {"variance_adu2", p.variance_adu2}, {"sigma_adu2", p.sigma_adu2}});
        sites.push_back({{"site", s.site},
                         {"gain_e_per_adu", s.gain_e_per_adu},
                         {"gain_sigma", s.gainSigma},
                         {"read_noise_e", numberOrNull(s.readNoise_e)},
                         {"read_noise_sigma_e", numberOrNull(s.readNoiseSigma_e)},
                         {"offset_adu", s.offset_adu},
                         {"brightest_adu", s.brightest_adu},
                         {"full_well_e", numberOrNull(s.fullWell_e)},
                         {"full_well_sigma_e", numberOrNull(s.fullWellSigma_e)},
                         {"bend", numberOrNull(s.bend)},
                         {"bend_sigma", numberOrNull(s.bendSigma)},
                         {"curve", std::move(curve)}});
    }
    return {{"caelumen_transfer", 1},
            {"gain_e_per_adu", t.gain_e_per_adu},
            {"gain_sigma", t.gainSigma},
            {"read_noise_e", numberOrNull(t.readNoise_e)},
            {"read_noise_sigma_e", numberOrNull(t.readNoiseSigma_e)},
            {"full_well_e", numberOrNull(t.fullWell_e)},
            {"full_well_sigma_e", numberOrNull(t.fullWellSigma_e)},
            {"header_e_per_adu", numberOrNull(t.header_e_per_adu)},
            {"flat_pairs", t.flatPairs},
            {"bias_pairs", t.biasPairs},
            {"sites", std::move(sites)},
            {"notes", t.notes}};
}

std::string withError(const std::optional<double>& value, const std::optional<double>& sigma) {
    return value ? fmt::format("{:.4g} +- {:.2g}", *value, sigma.value_or(0)) : "-";
}

} // namespace

const Shape kTransferShape{{}, {"--json"}, 0, 0, {{"--flats", isFileName}, {"--biases", isFileName}, {"--lights", isFileName}}};

int transfer(const Arguments& a) {
    for (const char* needed : {"--flats", "--biases"})
        if (a.values(needed).size() < 2) return misuse(fmt::format("{} needs two files or more", needed), kTransferUsage);
    const auto found = photonTransfer(paths(a.values("--flats")), paths(a.values("--biases")), paths(a.values("--lights")), terminalJob());
    if (!found) return fail(found.error().message);
    if (a.has("--json")) {
        say("{}\n", jsonText(toJson(*found), 1));
        return kDone;
    }
    say("{:<6}{:>22}{:>20}{:>22}\n", "site", "gain, e-/ADU", "read noise, e-", "full well, e-");
    for (const SiteTransfer& s : found->sites)
        say("{:<6}{:>22}{:>20}{:>22}\n", s.site, withError(s.gain_e_per_adu, s.gainSigma), withError(s.readNoise_e, s.readNoiseSigma_e),
            withError(s.fullWell_e, s.fullWellSigma_e));
    say("{:<6}{:>22}{:>20}{:>22}\n", "all", withError(found->gain_e_per_adu, found->gainSigma), withError(found->readNoise_e, found->readNoiseSigma_e),
        withError(found->fullWell_e, found->fullWellSigma_e));
    for (const std::string& sentence : found->notes) say("{}\n", sentence);
    return kDone;
}

} // namespace caelumen::cli
