#include "core/model/kit_file.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/tables.h"
#include "core/base/text.h"
#include "core/model/trial_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <tuple>

namespace caelumen {
namespace {

constexpr const char *kBands = "claimed_bands", *kPoints = "curve_points", *kClaimedPoints = "claimed_curve_points";

constexpr std::array kColumns{
    "id",       "name",     "kind",     kBands, "made_for_f_ratio", "effective_index", "thickness_mm", "clear_aperture_mm", "claimed_density", "mount", "price",
    "shipping", "currency", "set_size", "set",  "landed_each",      "obtained",        "notes"};

/// "500.7 x 3 x 0.88; 656.3 x 3": centre, width and peak of each band.
std::string bandsToText(const std::vector<BandClaim>& claims) {
    std::string out;
    for (const BandClaim& c : claims) {
        if (!out.empty()) out += "; ";
        out += fmt::format("{:g}", c.center_nm);
        if (c.fwhm_nm) out += fmt::format(" x {:g}", *c.fwhm_nm);
        if (c.peak) out += fmt::format(" x {:g}", *c.peak);
    }
    return out;
}

std::string safeName(const std::string& id) {
    std::string out;
    for (const char c : id) out += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_' ? c : '-';
    return out.empty() ? "filter" : out;
}

} // namespace

Result<KitFile> kitOf(const Trial& trial, const std::filesystem::path& folder) {
    KitFile kit{trial.filters, {}, {}, trial.rig, trial.site};
    for (Filter& f : kit.filters) {
        for (const auto& [file, curves] : {std::pair{&f.curve, &kit.curves}, {&f.claimed_curve, &kit.claimed}}) {
            if (file->empty()) continue;
            auto curve = readCurve(folder / pathOf(*file));
            if (!curve) return curve.error();
            (*curves)[f.id] = std::move(*curve);
            file->clear();
        }
        f.photos.clear(); // pictures stay where they are
    }
    return kit;
}

std::string kitToText(const KitFile& kit) {
    Trial carrier;
    carrier.filters = kit.filters;
    carrier.rig = kit.rig;
    carrier.site = kit.site;
    const Json all = trialToJson(carrier);
    Json out{{"caelumen_kit", 1}, {"rig", all["rig"]}, {"site", all["site"]}, {"filters", all["filters"]}};
    for (Json& f : out["filters"]) {
        for (const auto& [key, curves] : {std::pair{kPoints, &kit.curves}, {kClaimedPoints, &kit.claimed}}) {
            if (const auto curve = curves->find(f["id"].get<std::string>()); curve != curves->end()) f[key] = curveToPoints(curve->second);
        }
    }
    return jsonText(out, 1) + "\n";
}

Result<KitFile> kitFromText(const std::string& text, const std::string& name) {
    auto json = parseJson(text, name);
    if (!json) return json.error();
    if (!json->is_object() || !json->contains("caelumen_kit")) return Error{phrase("{} has no \"caelumen_kit\"; it is not a kit file.", name)};
    if ((*json)["caelumen_kit"] != 1) return Error{phrase("{} is a kit of another format; this program reads format 1.", name)};
    KitFile kit;
    if (json->contains("filters") && (*json)["filters"].is_array()) {
        for (const Json& f : (*json)["filters"]) {
            if (!f.is_object() || !f.contains("id") || !f["id"].is_string()) continue;
            const std::string id = f["id"].get<std::string>();
            for (const auto& [key, curves] : {std::pair{kPoints, &kit.curves}, {kClaimedPoints, &kit.claimed}}) {
                if (!f.contains(key)) continue;
                auto curve = curveFromPoints(f[key], fmt::format("{}, filter \"{}\", {},", name, id, key));
                if (!curve) return curve.error();
                (*curves)[id] = std::move(*curve);
            }
        }
    }
    (*json)["caelumen_trial"] = 1; // the rest is told as in a trial
    json->erase("runs");
    json->erase("regions");
    auto trial = trialFromJson(*json, name);
    if (!trial) return trial.error();
    kit.filters = std::move(trial->filters);
    for (Filter& f : kit.filters) f.curve.clear(), f.claimed_curve.clear(), f.photos.clear();
    kit.rig = std::move(trial->rig);
    kit.site = std::move(trial->site);
    return kit;
}

std::string filtersToCsv(const std::vector<Filter>& filters) {
    std::string out = csvRow({kColumns.begin(), kColumns.end()});
    const auto number = [](const std::optional<double>& v) { return v ? fmt::format("{:g}", *v) : std::string(); };
    for (const Filter& f : filters) {
        const auto money = [&](double Price::*part) { return f.price ? fmt::format("{:g}", *f.price.*part) : std::string(); };
        const std::string each = f.price ? fmt::format("{:.2f}", (f.price->amount + f.price->shipping) / std::max(1, f.set_size)) : "";
        out += csvRow({f.id, f.name, f.kind, bandsToText(f.claims), number(f.made_for_f_ratio), number(f.effective_index), number(f.thickness_mm),
                       number(f.clear_aperture_mm), number(f.claimed_density), f.mount, money(&Price::amount), money(&Price::shipping),
                       f.price ? f.price->currency : "", std::to_string(f.set_size), f.set, each, f.obtained, f.notes});
    }
    return out;
}

Rig filledFrom(const Rig& own, const Rig& other, std::vector<std::string>& kept) {
    for (const auto& [what, member] : {std::pair{phrase("focal length"), &Rig::focal_length_mm},
                                       {"aperture", &Rig::aperture_mm},
                                       {"obstruction", &Rig::obstruction},
                                       {phrase("pixel size"), &Rig::pixel_um},
                                       {"gain", &Rig::gain_e_per_adu},
                                       {phrase("read noise"), &Rig::read_noise_e},
                                       {phrase("full well"), &Rig::full_well_e},
                                       {"pedestal", &Rig::pedestal_adu},
                                       {phrase("full scale"), &Rig::full_scale_adu},
                                       {phrase("glass of a filter"), &Rig::filter_thickness_mm},
                                       {"reducer", &Rig::reducer},
                                       {"spacing", &Rig::back_focus_mm},
                                       {phrase("gain setting"), &Rig::gain_setting}})
        if (own.*member && other.*member && std::abs(*(own.*member) - *(other.*member)) > 1e-6 * std::abs(*(own.*member)))
            kept.push_back(phrase("{} {:g} (the kit says {:g})", what, *(own.*member), *(other.*member)));
    if (!own.name.empty() && !other.name.empty() && own.name != other.name) kept.push_back(phrase("name \"{}\" (the kit says \"{}\")", own.name, other.name));
    if (!own.camera.empty() && !other.camera.empty() && own.camera != other.camera)
        kept.push_back(phrase("camera {} (the kit says {})", own.camera, other.camera));
    if (!own.gaps_mm.empty() && !other.gaps_mm.empty() && own.gaps_mm != other.gaps_mm) kept.emplace_back(phrase("the gaps between reflecting surfaces"));
    return effectiveRig(other, own);
}

Result<std::vector<Filter>> filtersFromCsv(const std::string& text, const std::string& name, std::vector<std::string>* unknown) {
    const auto rows = csvRows(text);
    if (rows.empty()) return Error{phrase("{} holds no table of filters; its first line must name the columns (id, name, kind, ...).", name)};
    const auto& head = rows.front();
    const auto column = [&](const std::string& key) { return static_cast<std::size_t>(std::find(head.begin(), head.end(), key) - head.begin()); };
    if (column("name") == head.size()) return Error{phrase("{} has no column \"name\"; its first line must name the columns (id, name, kind, ...).", name)};
    if (unknown)
        for (const std::string& heading : head)
            if (!heading.empty() && std::find(kColumns.begin(), kColumns.end(), heading) == kColumns.end()) unknown->push_back(heading);
    // Each row becomes the filter that a trial file would say, so that both are checked alike.
    Json filters = Json::array();
    for (std::size_t r = 1; r < rows.size(); ++r) {
        const auto at = [&](const char* key) {
            const std::size_t c = column(key);
            return c < rows[r].size() ? rows[r][c] : std::string();
        };
        std::string wrong;
        const auto number = [&](const std::string& said, const char* key) -> Json {
            std::string plain = said;
            std::replace(plain.begin(), plain.end(), ',', '.');
            char* end = nullptr;
            const double v = std::strtod(plain.c_str(), &end);
            if (end == plain.c_str() || *end != '\0' || !std::isfinite(v)) wrong = phrase("{}, line {}: \"{}\" is no number for {}.", name, r + 1, said, key);
            return v;
        };
        Json f{{"id", at("id").empty() ? fmt::format("filter-{}", r) : at("id")}, {"name", at("name")}};
        for (const char* key : {"kind", "mount", "set", "obtained", "notes"})
            if (!at(key).empty()) f[key] = at(key);
        for (const char* key : {"made_for_f_ratio", "effective_index", "thickness_mm", "clear_aperture_mm", "claimed_density"})
            if (!at(key).empty()) f[key] = number(at(key), key);
        if (!at("set_size").empty()) f["set_size"] = static_cast<int>(std::lround(number(at("set_size"), "set_size").get<double>()));
        if (!at("price").empty() || !at("shipping").empty()) {
            f["price"] = {{"currency", at("currency")}};
            if (!at("price").empty()) f["price"]["amount"] = number(at("price"), "price");
            if (!at("shipping").empty()) f["price"]["shipping"] = number(at("shipping"), "shipping");
        }
        std::string bands = at(kBands), one;
        for (std::size_t i = 0; i <= bands.size(); ++i) {
            if (i < bands.size() && bands[i] != ';') {
                one += bands[i];
                continue;
            }
            std::vector<Json> parts;
            for (std::size_t from = 0; from < one.size() && one.find_first_not_of(' ') != std::string::npos;) {
                const std::size_t to = std::min(one.find('x', from), one.size());
                std::string part = one.substr(from, to - from);
                part.erase(std::remove(part.begin(), part.end(), ' '), part.end());
                parts.push_back(number(part, kBands));
                from = to + 1;
            }
            if (!parts.empty()) {
                Json claim{{"center_nm", parts[0]}};
                if (parts.size() > 1) claim["fwhm_nm"] = parts[1];
                if (parts.size() > 2) claim["peak"] = parts[2];
                f[kBands].push_back(claim);
            }
            one.clear();
        }
        if (!wrong.empty()) return Error{wrong};
        filters.push_back(f);
    }
    auto trial = trialFromJson(Json{{"caelumen_trial", 1}, {"filters", filters}}, name);
    if (!trial) return trial.error();
    return trial->filters;
}

Status addToTrial(const KitFile& kit, Trial& trial, const std::filesystem::path& folder) {
    for (Filter f : kit.filters) {
        const std::string id = f.id;
        const auto same = std::find_if(trial.filters.begin(), trial.filters.end(), [&](const Filter& other) { return other.name == f.name; });
        if (same != trial.filters.end())
            f.id = same->id;
        else
            for (int n = 2; trial.filter(f.id); ++n) f.id = fmt::format("{}-{}", id, n);
        for (const auto& [curves, file, before, ending] :
             {std::tuple{&kit.curves, &f.curve, &Filter::curve, ""}, {&kit.claimed, &f.claimed_curve, &Filter::claimed_curve, " claimed"}}) {
            const auto curve = curves->find(id);
            if (curve == curves->end()) {
                if (same != trial.filters.end()) *file = (*same).*before;
                continue;
            }
            std::error_code failed;
            std::filesystem::create_directories(folder, failed);
            auto path = folder / fmt::format("{}{}.csv", safeName(f.id), ending);
            for (int n = 2; std::filesystem::exists(path, failed); ++n)
                path = folder / fmt::format("{}{}-{}.csv", safeName(f.id), ending, n); // others may still use the old one
            if (const Status written = writeFile(path, curveToCsv(curve->second)); !written) return written;
            *file = nameText(path);
        }
        if (same != trial.filters.end())
            *same = f;
        else
            trial.filters.push_back(f);
    }
    return Done{};
}

} // namespace caelumen
