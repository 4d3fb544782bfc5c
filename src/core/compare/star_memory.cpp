#include "core/compare/star_memory.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace caelumen {

Result<Survey> surveyPlane(const OpenRun& o, std::size_t c, std::optional<bool> scaled01, Plane& plane) {
    const FrameInfo& info = o.file.info();
    Survey out;
    SeenOnTheWay seen;
    auto read = o.readRates(c, scaled01, std::move(plane), &seen);
    if (!read) return read.error();
    out.scaled01 = *scaled01;
    plane = std::move(*read);
    out.hasValues = std::any_of(plane.data(), plane.data() + plane.size(), [](float v) { return v == v; });
    const SmoothSky sky = findingSky(plane);
    FirstLook look = lookForStars(plane, sky, std::move(seen.extremes));
    out.stars = findStars(plane, sky, look, o.rateOf(o.knownSaturation), info.geometry(c).split);
    out.defects = std::move(look.defects);
    return out;
}

std::string surveyKey(const OpenRun& run, std::size_t channel) {
    const auto& path = run.file.info().path;
    std::error_code failed;
    const auto size = std::filesystem::file_size(path, failed);
    const auto time = std::filesystem::last_write_time(path, failed).time_since_epoch().count();
    const Rescale plain = run.toRate(false), parts = run.toRate(true);
    return fmt::format("{}|{}|{}|{}|{}|{:a} {:a} {:a} {:a} {:a}", nameText(path), size, time, channel,
                       run.file.info().mosaic ? run.file.info().mosaic->name : "", plain.zero, plain.factor, parts.zero, parts.factor, run.knownSaturation);
}

std::shared_ptr<const Survey> StarMemory::find(const std::string& key) const {
    const std::scoped_lock lock(m_guard);
    const auto it = m_surveys.find(key);
    return it == m_surveys.end() ? nullptr : it->second;
}

void StarMemory::keep(const std::string& key, std::shared_ptr<const Survey> survey) {
    const std::scoped_lock lock(m_guard);
    m_surveys[key] = std::move(survey);
}

void StarMemory::keepOnly(const std::set<std::string>& keys) {
    const std::scoped_lock lock(m_guard);
    std::erase_if(m_surveys, [&](const auto& s) { return !keys.count(s.first); });
}

} // namespace caelumen
