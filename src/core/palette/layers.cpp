#include "core/palette/layers.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/compare/halves.h"
#include "core/measure/harvest.h"
#include "core/model/filter_kinds.h"
#include "core/optics/camera.h"
#include "core/prepare/lines.h"
#include "core/prepare/resample.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Closer than this over the whole frame a stack lies on the grid already, and is not resampled.
constexpr double kOnGrid = 0.05;

bool liesOnGrid(const Alignment& a, int width, int height) {
    const auto to = a.forward();
    double most = 0;
    for (const Point p : {Point{0, 0}, Point{width - 1.0, 0}, Point{0, height - 1.0}, Point{width - 1.0, height - 1.0}}) {
        const Point q = to(p);
        most = std::max(most, std::hypot(q.x - p.x, q.y - p.y));
    }
    return most < kOnGrid;
}

std::string keyOf(const PaletteInput& in) {
    return fmt::format("{}|{}|{}|{}|{}|{}", in.stack, in.sub_exposure_s.value_or(0), in.gain_e_per_adu.value_or(0), in.pedestal_adu.value_or(-1),
                       in.sub_count.value_or(0), in.sum);
}

/// "20 x 180 s, 2026-06-20T18:05:00Z, -10 C": what of a stack's conditions its file tells.
std::string conditionsOf(const RunConditions& c) {
    std::string out;
    const auto add = [&](const std::string& part) { out += (out.empty() ? "" : ", ") + part; };
    if (c.sub_exposure_s) add(c.sub_count ? fmt::format("{} x {:g} s", *c.sub_count, *c.sub_exposure_s) : fmt::format("{:g} s", *c.sub_exposure_s));
    if (!c.start.empty()) add(c.start);
    if (c.sensor_temperature_c) add(fmt::format("{:g} C", *c.sensor_temperature_c));
    if (!c.camera.empty()) add(c.camera);
    return out;
}

/// How many times brighter the same nebula is in b than in a, from star-free cells less their own planes, both with errors (Deming 1943, Statistical Adjustment
/// of Data): nothing where they share too little.
std::optional<double> brighterBy(const PaletteLayer& a, const PaletteLayer& b) {
    const auto cells = [](const PaletteLayer& l) {
        const BackgroundMesh mesh = sampleMesh(l.rate, defaultCell(l.rate));
        std::vector<std::optional<double>> out;
        for (const MeshCell& c : mesh.cells) out.push_back(c.used ? std::optional(c.level) : std::nullopt);
        return out;
    };
    const auto first = cells(a), second = cells(b);
    std::vector<double> x, y;
    for (std::size_t i = 0; i < std::min(first.size(), second.size()); ++i)
        if (first[i] && second[i]) x.push_back(*first[i]), y.push_back(*second[i]);
    constexpr std::size_t kFewest = 30;
    if (x.size() < kFewest) return std::nullopt;
    std::vector<double> copy = x;
    const double mx = median(std::span<double>(copy));
    copy = y;
    const double my = median(std::span<double>(copy));
    double xx = 0, yy = 0, xy = 0;
    for (std::size_t i = 0; i < x.size(); ++i) xx += (x[i] - mx) * (x[i] - mx), yy += (y[i] - my) * (y[i] - my), xy += (x[i] - mx) * (y[i] - my);
    constexpr double kShared = 0.5; // of correlation: less tells sky, not nebula
    if (!(xx > 0) || !(yy > 0) || xy < kShared * std::sqrt(xx * yy)) return std::nullopt;
    const double ratio = b.noise * b.noise / std::max(1e-30, a.noise * a.noise), d = yy - ratio * xx;
    return (d + std::sqrt(d * d + 4 * ratio * xy * xy)) / (2 * xy);
}

} // namespace

Result<std::shared_ptr<const LayerReader::Stack>> LayerReader::stack(const PaletteInput& input) {
    const std::string key = keyOf(input);
    if (const auto known = m_stacks.find(key); known != m_stacks.end()) return known->second;
    if (m_job.cancelled()) return Error{kCancelled};
    const std::filesystem::path path = m_folder / pathOf(input.stack);
    m_job.report(std::min(0.5, 0.1 * static_cast<double>(m_stacks.size())), "Reading " + shown(path.filename()));
    Trial facts;
    Run run;
    run.id = "stack", run.stack = input.stack;
    run.sub_exposure_s = input.sub_exposure_s, run.sub_count = input.sub_count;
    run.rig.gain_e_per_adu = input.gain_e_per_adu, run.rig.pedestal_adu = input.pedestal_adu;
    if (input.sum) run.combine = combined_by::sum;
    const auto opened = openRun(facts, run, m_folder);
    if (!opened) return opened.error();
    if (!opened->problem.empty())
        return Error{phrase("{}: {}; give \"sub_exposure_s\" (and \"sub_count\" of a sum) beside the stack in the recipe.", shown(path), opened->problem)};
    auto out = std::make_shared<Stack>();
    out->name = shown(path.filename());
    out->channels = opened->file.info().channels;
    out->total_s = opened->conditions.total_s.value_or(opened->seconds);
    std::optional<bool> scaled01;
    for (std::size_t c = 0; c < out->channels.size(); ++c) {
        auto plane = opened->readRates(c, scaled01);
        if (!plane) return plane.error();
        out->planes.push_back(std::move(*plane));
        out->noise.push_back(sampledSky(out->planes.back()).noise);
        if (m_halves && !opened->halves.odd.empty() && out->apart.size() == c) {
            if (auto apart = readHalves(*opened, c, out->planes.back(), *scaled01))
                out->apart.push_back(std::move(*apart));
            else
                m_notes.push_back(apart.error().message);
        }
    }
    if (out->apart.size() != out->planes.size()) out->apart.clear();
    if (const std::string told = conditionsOf(opened->conditions); !told.empty()) m_conditions.push_back(fmt::format("{}: {}", out->name, told));
    if (const Status placed = place(*out); !placed) return placed.error();
    m_stacks[key] = out;
    return std::shared_ptr<const Stack>(out);
}

Status LayerReader::place(Stack& stack) {
    Stack* const out = &stack;
    // Mosaics have planes of half size; all planes of a stack lie alike to a quarter of a pixel.
    const std::size_t best = out->planes.size() == 3 ? 1 : 0;
    std::vector<AlignStar> stars;
    for (const Star& s : findStars(out->planes[best], kNeverSaturated).stars)
        if (!s.saturated) stars.push_back({{s.x, s.y}, s.flux});
    if (m_first) {
        m_first = false;
        m_stars = stars;
        m_width = out->planes[0].width(), m_height = out->planes[0].height();
    } else {
        auto found = align(m_stars, stars);
        const bool alike = out->planes[0].width() == m_width && out->planes[0].height() == m_height;
        if (!found && !(alike && (stars.size() < 8 || m_stars.size() < 8)))
            return Error{phrase("{} cannot be laid on the first stack of the recipe: {}", out->name, found.error().message)};
        if (found) out->alignment = *found; // else two frames of one size with hardly a star: they were laid on one another before
    }
    if (liesOnGrid(out->alignment, m_width, m_height) && out->planes[0].width() == m_width && out->planes[0].height() == m_height) out->alignment = {};
    return Done{};
}

Plane LayerReader::onGrid(const Plane& plane, const Alignment& a) const {
    if (plane.width() == m_width && plane.height() == m_height && a.dx == 0 && a.dy == 0 && a.rotation_deg == 0 && a.scale == 1 && !a.mirrored) return plane;
    Plane out(m_width, m_height, kNoData);
    const auto to = a.forward();
    tbb::parallel_for(0, m_height, [&](int y) {
        std::vector<float> row(static_cast<std::size_t>(m_width), 0);
        resampleRow({plane.data(), plane.width(), 0, plane.height()}, to, y, m_width, 1, row.data());
        // A surface keeps its brightness: electrons of a pixel go with its area.
        const auto area = static_cast<float>(a.scale * a.scale);
        for (int x = 0; x < m_width; ++x) out.at(x, y) = row[static_cast<std::size_t>(x)] * area;
    });
    return out;
}

Result<PaletteLayer> LayerReader::read(const std::string& id, const PaletteInput& input) {
    auto out = readOne(id, input);
    if (!out) return out;
    for (const PaletteInput& other : input.also) {
        auto more = readOne(id, other);
        if (!more) return more;
        add(*out, std::move(*more));
    }
    return out;
}

void LayerReader::add(PaletteLayer& to, PaletteLayer&& other) {
    // Least squares: what is k times as bright and has noise s counts by k / s^2, in the first one's electrons.
    const auto found = brighterBy(to, other);
    const double k = found.value_or(1);
    if (!found) m_notes.push_back(phrase("{} and {} share too little nebula to be brought to one scale; they are added as they are.", to.what, other.what));
    const double a = 1 / std::max(1e-30, to.noise * to.noise), b = k / std::max(1e-30, other.noise * other.noise), all = a + k * b;
    const auto mine = static_cast<float>(a / all), theirs = static_cast<float>(b / all);
    const bool halves = !to.apart.empty() && !other.apart.empty();
    if (!halves) to.apart = Plane();
    const auto sky = static_cast<float>(to.sky), otherSky = static_cast<float>(other.sky), perK = static_cast<float>(1 / k);
    tbb::parallel_for(0, to.rate.height(), [&](int y) {
        float* v = to.rate.row(y);
        const float* o = other.rate.row(y);
        for (int x = 0; x < to.rate.width(); ++x) {
            if (v[x] == v[x] && o[x] == o[x])
                v[x] = sky + mine * (v[x] - sky) + theirs * (o[x] - otherSky);
            else if (o[x] == o[x]) // where one frame ends the other goes on alone
                v[x] = sky + perK * (o[x] - otherSky);
            if (!halves) continue;
            float& d = to.apart.at(x, y);
            const float e = other.apart.at(x, y);
            d = d == d && e == e ? mine * d + theirs * e : d == d ? d : perK * e;
        }
    });
    to.what += fmt::format(" ({:.0f} %) with {} ({:.0f} %)", 100 * a / all, other.what, 100 * k * b / all);
    to.total_s += other.total_s;
    to.noise = sampledSky(to.rate).noise;
}

Result<PaletteLayer> LayerReader::readOne(const std::string& id, const PaletteInput& input) {
    const auto found = stack(input);
    if (!found) return found.error();
    const Stack& s = **found;
    PaletteLayer out;
    out.id = id, out.alignment = s.alignment, out.total_s = s.total_s;
    const auto channelAt = [&](const std::string& name) {
        return static_cast<std::size_t>(std::find(s.channels.begin(), s.channels.end(), name) - s.channels.begin());
    };
    Plane line, lineApart;
    const Plane *from = nullptr, *apart = nullptr;
    if (!input.channel.empty()) {
        const std::size_t c = channelAt(input.channel);
        if (c == s.channels.size()) return Error{phrase("{} has no channel {}; it has {}.", s.name, input.channel, fmt::join(s.channels, ", "))};
        from = &s.planes[c], apart = s.apart.empty() ? nullptr : &s.apart[c];
        out.what = fmt::format("{}, {}", s.name, input.channel);
    } else if (s.planes.size() == 1) {
        from = &s.planes[0], apart = s.apart.empty() ? nullptr : &s.apart[0];
        out.what = input.line.empty() ? s.name : fmt::format("{} ({})", s.name, input.line);
    } else if (input.line.empty()) {
        return Error{phrase("{} has three channels; say which of its lines or channels input \"{}\" is.", s.name, id)};
    } else {
        LineMatrix matrix;
        if (!input.camera.empty() || !input.curve.empty()) {
            Curve curve;
            if (!input.curve.empty()) {
                auto read = readCurve(m_folder / pathOf(input.curve));
                if (!read) return read.error();
                curve = std::move(*read);
            }
            const auto& all = typicalCameras();
            if (!input.camera.empty() && std::none_of(all.begin(), all.end(), [&](const Camera& c) { return c.id == input.camera && c.channels.size() == 3; }))
                return Error{phrase("The recipe splits the lines of input \"{}\" for camera \"{}\", which is no typical colour camera.", id, input.camera)};
            matrix = lineMatrix(curve, typicalCamera(input.camera.empty() ? "colour-clear" : input.camera));
        }
        const LineWeights weights = lineWeights(matrix, {s.noise[0], s.noise[1], s.noise[2]});
        const auto& w = input.line == "OIII" ? weights.oxygen : weights.red;
        line = weightedSum(s.planes, w);
        from = &line;
        if (!s.apart.empty()) lineApart = weightedSum(s.apart, w), apart = &lineApart;
        out.what = fmt::format("{} of {}: {:.3f} R {:+.3f} G {:+.3f} B", input.line, s.name, w[0], w[1], w[2]);
    }
    out.rate = onGrid(*from, s.alignment);
    if (apart) out.apart = onGrid(*apart, s.alignment);
    const SkyLevel sky = sampledSky(out.rate);
    out.noise = sky.noise, out.sky = sky.level;
    return out;
}

Result<std::array<PaletteLayer, 3>> LayerReader::readColour(const PaletteInput& input) {
    const auto found = stack(input);
    if (!found) return found.error();
    const Stack& s = **found;
    if (s.planes.size() != 3) return Error{phrase("{} has one channel; stars of all colours come from a stack of three.", s.name)};
    std::array<PaletteLayer, 3> out;
    for (std::size_t c = 0; c < 3; ++c) {
        out[c].id = s.channels[c], out[c].what = s.name, out[c].alignment = s.alignment, out[c].total_s = s.total_s;
        out[c].rate = onGrid(s.planes[c], s.alignment);
        const SkyLevel sky = sampledSky(out[c].rate);
        out[c].noise = sky.noise, out[c].sky = sky.level;
    }
    return out;
}

} // namespace caelumen
