#include "core/palette/layers.h"

#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/compare/run_facts.h"
#include "core/measure/harvest.h"
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

double noiseOf(const Plane& plane) {
    return SmoothSky(sampleMesh(plane, defaultCell(plane))).typicalSigma();
}

double skyOf(const Plane& plane) {
    std::vector<double> levels;
    for (const MeshCell& c : sampleMesh(plane, defaultCell(plane)).cells)
        if (c.used) levels.push_back(c.level);
    return levels.empty() ? 0 : median(std::span<double>(levels));
}

std::string keyOf(const PaletteInput& in) {
    return fmt::format("{}|{}|{}|{}|{}|{}", in.stack, in.sub_exposure_s.value_or(0), in.gain_e_per_adu.value_or(0), in.pedestal_adu.value_or(-1),
                       in.sub_count.value_or(0), in.sum);
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
    if (input.sum) run.combine = "sum";
    const auto opened = openRun(facts, run, m_folder);
    if (!opened) return opened.error();
    if (!opened->problem.empty())
        return Error{fmt::format("{}: {}; give \"sub_exposure_s\" (and \"sub_count\" of a sum) beside the stack in the recipe.", shown(path), opened->problem)};
    auto out = std::make_shared<Stack>();
    out->name = shown(path.filename());
    out->channels = opened->file.info().channels;
    out->total_s = opened->conditions.total_s.value_or(opened->seconds);
    const FrameInfo& info = opened->file.info();
    bool scaled01 = false;
    for (std::size_t c = 0; c < out->channels.size(); ++c) {
        auto plane = opened->file.readChannel(c, {}, {});
        if (!plane) return plane.error();
        if (c == 0 && !info.integer) {
            float most = 0;
            for (std::size_t i = 0; i < plane->size(); ++i)
                if (plane->data()[i] > most) most = plane->data()[i];
            scaled01 = most <= 1;
        }
        const Rescale by = opened->toRate(scaled01);
        tbb::parallel_for(0, plane->height(), [&](int y) {
            float* row = plane->row(y);
            for (int x = 0; x < plane->width(); ++x) row[x] = (row[x] - by.zero) * by.factor;
        });
        out->planes.push_back(std::move(*plane));
        out->noise.push_back(noiseOf(out->planes.back()));
    }
    // Mosaics have planes of half size; all planes of a stack lie alike to a quarter of a pixel.
    const std::size_t best = out->planes.size() == 3 ? 1 : 0;
    std::vector<AlignStar> stars;
    for (const Star& s : findStars(out->planes[best], 1e30).stars)
        if (!s.saturated) stars.push_back({{s.x, s.y}, s.flux});
    if (m_first) {
        m_first = false;
        m_stars = stars;
        m_width = out->planes[0].width(), m_height = out->planes[0].height();
    } else {
        auto found = align(m_stars, stars);
        const bool alike = out->planes[0].width() == m_width && out->planes[0].height() == m_height;
        if (!found && !(alike && (stars.size() < 8 || m_stars.size() < 8)))
            return Error{fmt::format("{} cannot be laid on the first stack of the recipe: {}", shown(path), found.error().message)};
        if (found) out->alignment = *found; // else two frames of one size with hardly a star: they were laid on one another before
    }
    if (liesOnGrid(out->alignment, m_width, m_height) && out->planes[0].width() == m_width && out->planes[0].height() == m_height) out->alignment = {};
    m_stacks[key] = out;
    return std::shared_ptr<const Stack>(out);
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
    const auto found = stack(input);
    if (!found) return found.error();
    const Stack& s = **found;
    PaletteLayer out;
    out.id = id, out.alignment = s.alignment, out.total_s = s.total_s;
    const auto channelAt = [&](const std::string& name) {
        return static_cast<std::size_t>(std::find(s.channels.begin(), s.channels.end(), name) - s.channels.begin());
    };
    Plane line;
    const Plane* from = nullptr;
    if (!input.channel.empty()) {
        const std::size_t c = channelAt(input.channel);
        if (c == s.channels.size()) return Error{fmt::format("{} has no channel {}; it has {}.", s.name, input.channel, fmt::join(s.channels, ", "))};
        from = &s.planes[c];
        out.what = fmt::format("{}, {}", s.name, input.channel);
    } else if (s.planes.size() == 1) {
        from = &s.planes[0];
        out.what = input.line.empty() ? s.name : fmt::format("{} ({})", s.name, input.line);
    } else if (input.line.empty()) {
        return Error{fmt::format("{} has three channels; say which of its lines or channels input \"{}\" is.", s.name, id)};
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
                return Error{
                    fmt::format("The recipe splits the lines of input \"{}\" for camera \"{}\", which is no typical colour camera.", id, input.camera)};
            matrix = lineMatrix(curve, typicalCamera(input.camera.empty() ? "colour-clear" : input.camera));
        }
        const LineWeights weights = lineWeights(matrix, {s.noise[0], s.noise[1], s.noise[2]});
        const auto& w = input.line == "OIII" ? weights.oxygen : weights.red;
        line = Plane::unfilled(s.planes[0].width(), s.planes[0].height());
        tbb::parallel_for(0, line.height(), [&](int y) {
            for (int x = 0; x < line.width(); ++x) {
                double sum = 0;
                for (std::size_t c = 0; c < 3; ++c)
                    if (w[c] != 0) sum += w[c] * static_cast<double>(s.planes[c].at(x, y));
                line.at(x, y) = static_cast<float>(sum);
            }
        });
        from = &line;
        out.what = fmt::format("{} of {}: {:.3f} R {:+.3f} G {:+.3f} B", input.line, s.name, w[0], w[1], w[2]);
    }
    out.rate = onGrid(*from, s.alignment);
    out.noise = noiseOf(out.rate);
    out.sky = skyOf(out.rate);
    return out;
}

Result<std::array<PaletteLayer, 3>> LayerReader::readColour(const PaletteInput& input) {
    const auto found = stack(input);
    if (!found) return found.error();
    const Stack& s = **found;
    if (s.planes.size() != 3) return Error{fmt::format("{} has one channel; stars of all colours come from a stack of three.", s.name)};
    std::array<PaletteLayer, 3> out;
    for (std::size_t c = 0; c < 3; ++c) {
        out[c].id = s.channels[c], out[c].what = s.name, out[c].alignment = s.alignment, out[c].total_s = s.total_s;
        out[c].rate = onGrid(s.planes[c], s.alignment);
        out[c].noise = noiseOf(out[c].rate), out[c].sky = skyOf(out[c].rate);
    }
    return out;
}

} // namespace caelumen
