#include "core/prepare/sub_notebook.h"

#include "core/base/json.h"
#include "core/base/phrase.h"

#include <fcntl.h>
#include <stdexcept>
#include <sys/stat.h>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

template<class T>
void put(Json& j, const char* key, const std::optional<T>& value) {
    if (value) j[key] = *value;
}

template<class T>
void get(const Json& j, const char* key, std::optional<T>& to) {
    if (const auto it = j.find(key); it != j.end() && it->is_number()) to = it->get<T>();
}

std::string textOf(const Json& j, const char* key) {
    const auto it = j.find(key);
    return it != j.end() && it->is_string() ? it->get<std::string>() : std::string();
}

} // namespace

Json subFiguresToJson(const SubFigures& f) {
    Json j = {{"file", f.file},
              {"problem", f.problem},
              {"start", f.start},
              {"level", f.level},
              {"noise", f.noise},
              {"sky", f.sky},
              {"channel", f.channel},
              {"stars", f.stars},
              {"gradient", f.gradient},
              {"vignette", f.vignette},
              {"vignette_sigma", f.vignetteSigma},
              {"trails", f.trails},
              {"saturated", f.saturatedPart},
              {"aperture", f.aperture_px}};
    put(j, "exposure_s", f.exposure_s);
    put(j, "temperature", f.temperature_c);
    put(j, "fwhm", f.fwhm_px);
    put(j, "eccentricity", f.eccentricity);
    put(j, "tilt", f.tilt);
    j["tilt_sigma"] = f.tiltSigma;
    put(j, "airmass", f.airmass);
    put(j, "moon", f.moonAltitude_deg);
    put(j, "sun", f.sunAltitude_deg);
    put(j, "moonlight", f.moonlight_nL);
    Json stars = Json::array();
    for (const SubStar& s : f.found.list()) stars.push_back({s.at.x, s.at.y, s.flux, s.brightness});
    j["found"] = std::move(stars);
    return j;
}

std::optional<SubFigures> subFiguresFromJson(const Json& j) {
    try {
        SubFigures f;
        f.file = j.at("file");
        f.problem = j.at("problem");
        f.start = j.at("start");
        get(j, "exposure_s", f.exposure_s);
        f.level = j.at("level").get<std::map<std::string, double>>();
        f.noise = j.at("noise").get<std::map<std::string, double>>();
        f.sky = j.at("sky").get<std::map<std::string, std::array<double, 4>>>();
        f.channel = j.at("channel");
        f.stars = j.at("stars");
        f.gradient = j.at("gradient");
        f.vignette = j.at("vignette");
        f.vignetteSigma = j.at("vignette_sigma");
        f.trails = j.at("trails");
        f.saturatedPart = j.at("saturated");
        f.aperture_px = j.at("aperture");
        get(j, "temperature", f.temperature_c);
        get(j, "fwhm", f.fwhm_px);
        get(j, "eccentricity", f.eccentricity);
        get(j, "tilt", f.tilt);
        f.tiltSigma = j.at("tilt_sigma");
        get(j, "airmass", f.airmass);
        get(j, "moon", f.moonAltitude_deg);
        get(j, "sun", f.sunAltitude_deg);
        get(j, "moonlight", f.moonlight_nL);
        std::vector<SubStar> found;
        found.reserve(j.at("found").size());
        for (const Json& s : j.at("found")) found.push_back({{s.at(0), s.at(1)}, s.at(2), s.at(3)});
        f.found = std::move(found);
        return f;
    } catch (const nlohmann::json::exception&) {
        return std::nullopt;
    }
}

SubNotebook::SubNotebook(OpenFile file, std::string masters)
    : m_file(std::move(file))
    , m_masters(std::move(masters)) {}

std::shared_ptr<SubNotebook> SubNotebook::open(const fs::path& file, std::string masters) {
    OpenFile opened(::open(file.c_str(), O_RDWR | O_APPEND | O_CREAT | O_CLOEXEC, 0666));
    const std::shared_ptr<SubNotebook> out(new SubNotebook(std::move(opened), std::move(masters)));
    out->readThrough();
    return out;
}

void SubNotebook::readThrough() {
    constexpr std::size_t kAtOnce = 1 << 20;
    std::string text;
    std::uint64_t begin = 0, read = 0; // of `text`; of the file
    struct stat size {};
    if (m_file.number() < 0 || ::fstat(m_file.number(), &size) != 0) return;
    const auto end = static_cast<std::uint64_t>(size.st_size);
    while (read < end) {
        const std::size_t old = text.size(), more = std::min<std::uint64_t>(kAtOnce, end - read);
        text.resize(old + more);
        if (!m_file.read(text.data() + old, more, static_cast<long long>(read))) return;
        read += more;
        std::size_t from = 0;
        for (std::size_t to; (to = text.find('\n', from)) != std::string::npos; from = to + 1) {
            const Json j = Json::parse(text.begin() + static_cast<std::ptrdiff_t>(from), text.begin() + static_cast<std::ptrdiff_t>(to), nullptr, false);
            if (textOf(j, "masters") == m_masters) m_places[textOf(j, "stamp")] = {begin + from, to - from};
        }
        text.erase(0, from);
        begin += from;
    }
    m_torn = !text.empty();
}

std::optional<SubFigures> SubNotebook::figuresAt(const Place& place) const {
    std::string line(place.bytes, '\0');
    if (!m_file.read(line.data(), line.size(), static_cast<long long>(place.at))) return std::nullopt;
    const Json j = Json::parse(line, nullptr, false);
    const auto it = j.find("figures");
    return it != j.end() ? subFiguresFromJson(*it) : std::nullopt;
}

SubFigures SubNotebook::shelved(SubFigures figures, const Place& place) const {
    figures.found = FoundStars(figures.found.size(), shared_from_this(), place);
    return figures;
}

std::optional<SubFigures> SubNotebook::find(const std::string& stamp) const {
    const std::lock_guard lock(m_mutex);
    const auto it = m_places.find(stamp);
    if (it == m_places.end()) return std::nullopt;
    auto out = figuresAt(it->second);
    return out ? std::optional(shelved(std::move(*out), it->second)) : std::nullopt;
}

SubFigures SubNotebook::keep(const std::string& stamp, SubFigures figures) {
    if (!figures.problem.empty() || m_file.number() < 0) return figures;
    const std::string line = jsonText(Json{{"masters", m_masters}, {"stamp", stamp}, {"figures", subFiguresToJson(figures)}});
    const std::lock_guard lock(m_mutex);
    const std::string text = (m_torn ? "\n" : "") + line + "\n";
    m_torn = !m_file.append(text.data(), text.size());
    const auto end = ::lseek(m_file.number(), 0, SEEK_CUR); // behind what was appended, whoever else appends
    if (m_torn || end < static_cast<long long>(text.size())) return figures;
    const Place place{static_cast<std::uint64_t>(end) - line.size() - 1, line.size()};
    if (!figuresAt(place)) return figures; // a figure that is no number cannot be read back
    m_places[stamp] = place;
    return shelved(std::move(figures), place);
}

SubStars SubNotebook::starsAt(const Place& place) const {
    if (auto figures = figuresAt(place)) return figures->found.list();
    throw std::runtime_error(phrase("the notebook of measured subs cannot be read any more"));
}

} // namespace caelumen
