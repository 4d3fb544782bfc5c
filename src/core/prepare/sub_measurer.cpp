#include "core/prepare/sub_measurer.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/name_facts.h"
#include "core/prepare/adu_rows.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// In what a sub differs from the others so that they make no stack; nothing where both do not say.
std::optional<std::string> unlike(const FrameFacts& own, const FrameFacts& others) {
    if (own.filter && others.filter && lowered(*own.filter) != lowered(*others.filter))
        return phrase("through {}, the other subs through {}", *own.filter, *others.filter);
    const auto differs = [](std::optional<double> a, std::optional<double> b, double part) {
        return a && b && std::abs(*a - *b) > part * std::max(std::abs(*a), std::abs(*b));
    };
    if (differs(own.gain_setting, others.gain_setting, 1e-3))
        return phrase("with gain {:g}, the other subs with gain {:g}", *own.gain_setting, *others.gain_setting);
    if (differs(own.gain_e_per_adu, others.gain_e_per_adu, 0.02))
        return phrase("with {:g} electrons per ADU, the other subs with {:g}", *own.gain_e_per_adu, *others.gain_e_per_adu);
    if (differs(own.pixel_um, others.pixel_um, 0.02)) return phrase("with pixels of {:g} um, the other subs with {:g} um", *own.pixel_um, *others.pixel_um);
    if (differs(own.focal_length_mm, others.focal_length_mm, 0.05))
        return phrase("at a focal length of {:g} mm, the other subs at {:g} mm", *own.focal_length_mm, *others.focal_length_mm);
    return std::nullopt;
}

} // namespace

Result<SubMeasurer> SubMeasurer::make(const SubsRecipe& recipe, const Job& job) {
    SubMeasurer out;
    std::optional<FrameFile> first;
    Error trouble{phrase("There are no subs.")};
    std::vector<fs::path> readable;
    for (const fs::path& p : recipe.lights) { // three that can be read: begin, middle and end would cost a look at all
        auto file = FrameFile::open(p, recipe.run.bayer);
        if (!file) {
            if (readable.empty()) trouble = file.error();
            continue;
        }
        if (!first) first = std::move(*file);
        readable.push_back(p);
        if (readable.size() == 3) break;
    }
    if (!first) return trouble;
    FrameInfo like = first->info();
    completeFromName(like.facts, nameText(like.path.filename()));
    out.m_like = std::make_shared<const FrameInfo>(std::move(like));
    const FrameFacts& facts = out.m_like->facts;
    const Rig rig = factsOf(recipe, facts).rig;
    out.m_gain = rig.gain_e_per_adu;
    out.m_exposure = recipe.run.sub_exposure_s ? recipe.run.sub_exposure_s : facts.sub_exposure_s;
    out.m_site = recipe.site;
    if (!out.m_site.latitude_deg) out.m_site.latitude_deg = facts.site_latitude_deg, out.m_site.longitude_deg = facts.site_longitude_deg;
    out.m_target = recipe.target;
    if (!out.m_target.ra_deg) out.m_target.ra_deg = facts.ra_deg, out.m_target.dec_deg = facts.dec_deg;

    out.m_bayer = recipe.run.bayer;
    out.m_unit = rig.full_scale_adu.value_or(out.m_unit);
    auto made = makeCalibration(recipe, *out.m_like, job);
    if (!made) return made.error();
    bool parts = false;
    if (const auto rows = aduRows(*first, out.m_unit, &parts); !rows) return rows.error();
    if (parts) made->warnings.push_back(phrase("The subs hold values from 0 to 1; they were taken as parts of {:g} ADU.", out.m_unit));
    std::string named;
    for (const auto& [fact, label] : {std::pair{"filter", "filter"},
                                      {"sub_exposure_s", "exposure"},
                                      {"gain_setting", "gain"},
                                      {"offset_setting", "offset"},
                                      {"sensor_temperature_c", "temperature"}})
        if (const auto source = facts.sources.find(fact); source != facts.sources.end() && source->second == kFromName)
            named += (named.empty() ? "" : ", ") + std::string(label);
    if (!named.empty()) made->warnings.push_back(phrase("No header says it, so this comes from the names of the files: {}.", named));
    const double zero = made->zeroKnown ? rig.pedestal_adu.value_or(0) : 0;
    double full = rig.full_scale_adu.value_or(out.m_like->integer && out.m_like->bits <= 16 ? std::pow(2.0, out.m_like->bits) - 1 : 65535);
    if (rig.full_well_e && out.m_gain) full = std::min(full, *rig.full_well_e / *out.m_gain + zero);
    out.m_how.fullScale = full - zero;
    out.m_calibration = std::make_shared<const Calibration>(std::move(*made));

    double radius = 0;
    std::vector<Plane> spare;
    for (const fs::path& p : readable) {
        const auto sub = out.pixels(p);
        if (!sub) continue;
        auto planes = sub->planes(std::move(spare));
        if (!planes) continue;
        if (radius == 0) out.m_how.channel = starChannel(*planes, *out.m_like, out.m_how.fullScale);
        if (const auto own = ownAperture(*planes, *out.m_like, out.m_how)) radius = radius == 0 ? *own : std::min(radius, *own); // the sharpest of them
        spare = std::move(*planes);
    }
    out.m_how.apertureRadius = radius > 0 ? radius : 6;
    return out;
}

Result<SubPixels> SubMeasurer::pixels(const fs::path& path) const {
    const auto file = FrameFile::open(path, m_bayer);
    return file ? pixels(*file) : file.error();
}

Result<SubPixels> SubMeasurer::pixels(const FrameFile& file) const {
    const FrameInfo& i = file.info();
    if (i.width != m_like->width || i.height != m_like->height || i.channels != m_like->channels || i.mosaic.has_value() != m_like->mosaic.has_value() ||
        (i.mosaic && i.mosaic->name != m_like->mosaic->name))
        return Error{phrase("{} is {} x {} pixels{}, the other subs are {} x {}{}; stack it with its like.", shown(i.path), i.width, i.height,
                            i.mosaic ? " of " + i.mosaic->name : "", m_like->width, m_like->height, m_like->mosaic ? " of " + m_like->mosaic->name : "")};
    auto rows = aduRows(file, m_unit);
    if (!rows) return rows.error();
    return SubPixels(std::move(*rows), *m_like, *m_calibration);
}

SubFigures SubMeasurer::measure(const fs::path& path, std::vector<Plane>* spare) const {
    const auto failed = [&](const std::string& why) {
        SubFigures f;
        f.file = nameText(path);
        f.problem = why;
        f.exposure_s = m_exposure;
        return f;
    };
    try {
        const auto file = FrameFile::open(path, m_bayer);
        if (!file) return failed(file.error().message);
        FrameInfo info = *m_like;
        info.path = path;
        info.facts = file->info().facts;
        completeFromName(info.facts, nameText(path.filename()));
        if (const auto other = unlike(info.facts, m_like->facts)) {
            SubFigures f = failed(phrase("{} was taken {}; stack it with its like.", shown(path), *other));
            f.foreign = true;
            return f;
        }
        const auto sub = pixels(*file);
        if (!sub) return failed(sub.error().message);
        auto planes = spare ? sub->planes(std::move(*spare)) : sub->planes();
        if (!planes) return failed(planes.error().message);
        SubFigures out = measureSub(*planes, info, m_how);
        if (spare) *spare = std::move(*planes);
        out.file = nameText(path);
        if (m_exposure) out.exposure_s = m_exposure;
        // Headers are held against each other: what the recipe says wins over all of them.
        const auto own = info.facts.sub_exposure_s, usual = m_like->facts.sub_exposure_s;
        if (own && usual && std::abs(*own / *usual - 1) > 0.02)
            return failed(phrase("{} was exposed {:g} s, the run {:g} s; stack it with its like.", shown(path), *own, *usual));
        placeInSky(out, m_site, m_target);
        return out;
    } catch (const std::bad_alloc&) {
        return failed(shown(path) + phrase(" needs more memory than there is; close other programs."));
    }
}

} // namespace caelumen
