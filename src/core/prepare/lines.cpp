#include "core/prepare/lines.h"

#include "core/base/file.h"
#include "core/base/linear_algebra.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "core/measure/harvest.h"
#include "core/prepare/resample.h"
#include "core/prepare/stack.h"
#include "core/stars/alignment.h"
#include "core/stars/star_grid.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// What a line frame's header keeps of its stack's.
std::vector<HeaderCard> cardsOf(const FrameFacts& f, const std::string& filter) {
    std::vector<HeaderCard> out;
    const auto number = [&](const char* key, const std::optional<double>& v) {
        if (v) out.push_back({key, *v, ""});
    };
    if (f.sub_count) out.push_back({"NCOMBINE", static_cast<long long>(*f.sub_count), "subs combined"});
    number("EXPTIME", f.sub_exposure_s);
    number("EGAIN", f.gain_e_per_adu);
    number("GAIN", f.gain_setting);
    number("PEDESTAL", f.pedestal_adu);
    number("XPIXSZ", f.pixel_um);
    number("FOCALLEN", f.focal_length_mm);
    number("APTDIA", f.aperture_mm);
    number("CCD-TEMP", f.sensor_temperature_c);
    number("RA", f.ra_deg);
    number("DEC", f.dec_deg);
    number("SITELAT", f.site_latitude_deg);
    number("SITELONG", f.site_longitude_deg);
    if (f.target) out.push_back({"OBJECT", *f.target, ""});
    if (f.camera) out.push_back({"INSTRUME", *f.camera, ""});
    if (f.start) out.push_back({"DATE-OBS", f.start->back() == 'Z' ? f.start->substr(0, f.start->size() - 1) : *f.start, "UTC"});
    out.push_back({"FILTER", filter, ""});
    return out;
}

} // namespace

LineMatrix lineMatrix(const Curve& effective, const Camera& camera) {
    LineMatrix out;
    if (camera.channels.size() != 3) return out;
    const auto response = [&](EmissionLine line, const Curve& curve) {
        std::array<double, 3> seen{};
        for (const SystemChannel& c : systemResponse(curve, camera)) seen[c.name == "R" ? 0 : c.name == "G" ? 1 : 2] = c.lines.at(line);
        return seen;
    };
    const auto hydrogen = response(EmissionLine::Halpha, effective), sulphur = response(EmissionLine::SII, effective),
               oxygen = response(EmissionLine::OIII, effective);
    const bool isSulphur = sulphur[0] > hydrogen[0];
    const auto& red = isSulphur ? sulphur : hydrogen;
    const bool known = !effective.empty() && red[0] >= 0.02 && oxygen[1] + oxygen[2] >= 0.02;
    if (known) return {red, oxygen, LineMatrix::Source::FilterAndCamera, isSulphur};
    out.red = response(EmissionLine::Halpha, {}), out.oxygen = response(EmissionLine::OIII, {});
    out.source = LineMatrix::Source::Camera;
    return out;
}

LineWeights lineWeights(const LineMatrix& m, const std::array<double, 3>& noise) {
    Eigen::Matrix<double, 3, 2> k;
    Eigen::Matrix3d w = Eigen::Matrix3d::Zero();
    for (int i = 0; i < 3; ++i) {
        const auto c = static_cast<std::size_t>(i);
        k(i, 0) = m.red[c], k(i, 1) = m.oxygen[c];
        w(i, i) = noise[c] > 0 ? 1 / (noise[c] * noise[c]) : 1;
    }
    const Eigen::Matrix<double, 2, 3> weighted = k.transpose() * w;
    const SquareMatrix<2> normal = weighted * k;
    Eigen::Matrix<double, 2, 3> solution;
    for (int i = 0; i < 3; ++i) solution.col(i) = solveNormal<2>(normal, weighted.col(i));
    LineWeights out;
    const double asOxygen = 0.5 * (m.oxygen[1] + m.oxygen[2]);
    for (int i = 0; i < 3; ++i) {
        out.red[static_cast<std::size_t>(i)] = m.red[0] * solution(0, i);
        out.oxygen[static_cast<std::size_t>(i)] = asOxygen * solution(1, i);
    }
    return out;
}

Plane weightedSum(const std::vector<Plane>& channels, const std::array<double, 3>& weights) {
    Plane out = Plane::unfilled(channels[0].width(), channels[0].height());
    tbb::parallel_for(0, out.height(), [&](int y) {
        for (int x = 0; x < out.width(); ++x) {
            double sum = 0;
            for (std::size_t c = 0; c < channels.size(); ++c)
                if (weights[c] != 0) sum += weights[c] * static_cast<double>(channels[c].at(x, y));
            out.at(x, y) = static_cast<float>(sum);
        }
    });
    return out;
}

std::pair<fs::path, fs::path> lineOutputs(const fs::path& stack, const LineMatrix& matrix) {
    return {besideStack(stack, matrix.sulphur ? "sulphur" : "hydrogen"), besideStack(stack, "oxygen")};
}

Result<LineFrames> writeLines(const fs::path& stack, const LineMatrix& matrix) {
    const auto file = FrameFile::open(stack);
    if (!file) return file.error();
    if (file->info().channels.size() != 3 || file->info().mosaic)
        return Error{phrase("{} has no three channels; lines are separated from a stack of a colour camera.", shown(stack))};
    const std::string red = matrix.sulphur ? "sulphur" : "hydrogen";
    LineFrames out;
    std::tie(out.red, out.oxygen) = lineOutputs(stack, matrix);
    if (const Status safe = outputsAreSafe({out.red, out.oxygen}, {stack}); !safe) return safe.error();
    std::vector<Plane> planes;
    for (std::size_t c = 0; c < 3; ++c) {
        auto plane = file->readChannel(c);
        if (!plane) return plane.error();
        planes.push_back(std::move(*plane));
        out.noise[c] = sampledSky(planes.back()).noise;
    }
    out.weights = lineWeights(matrix, out.noise);
    const auto write = [&](const std::array<double, 3>& weights, const std::string& name, const fs::path& path) -> Status {
        const Plane line = weightedSum(planes, weights);
        auto cards = cardsOf(file->info().facts, file->info().facts.filter.value_or("") + (file->info().facts.filter ? ", " : "") + name);
        cards.push_back(
            {"HISTORY", fmt::format("{} from {}: {:.4f} R {:+.4f} G {:+.4f} B", name, shown(stack.filename()), weights[0], weights[1], weights[2]), ""});
        cards.push_back({"HISTORY",
                         std::string(matrix.source == LineMatrix::Source::FilterAndCamera ? "with the crosstalk of filter and camera"
                                     : matrix.source == LineMatrix::Source::Camera        ? "with the camera's response to each line; no curve of the filter"
                                                                                          : "green and blue by their noise, no crosstalk known"),
                         ""});
        return writeFits(path, {&line}, cards);
    };
    if (const Status done = write(out.weights.red, red, out.red); !done) return done.error();
    if (const Status done = write(out.weights.oxygen, "oxygen", out.oxygen); !done) return done.error();
    return out;
}

Status addOxygen(const std::vector<fs::path>& files, const fs::path& out, const Job& job) {
    if (files.size() < 2) return Error{phrase("Two oxygen frames or more are needed to add them.")};
    if (const Status safe = outputsAreSafe({out}, files); !safe) return safe.error();
    struct One {
        Plane plane;
        FrameFacts facts;
        std::vector<AlignStar> stars;
        double noise = 1, factor = 1, sky = 0;
        Alignment alignment;
    };
    std::vector<One> all;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (job.cancelled()) return Error{kCancelled};
        job.report(static_cast<double>(i) / static_cast<double>(files.size()), "Reading " + shown(files[i].filename()));
        const auto file = FrameFile::open(files[i]);
        if (!file) return file.error();
        if (file->info().channels.size() != 1) return Error{phrase("{} is no line frame of one channel; separate the lines first.", shown(files[i]))};
        auto plane = file->readChannel(0);
        if (!plane) return plane.error();
        One one{std::move(*plane), file->info().facts, {}, 1, 1, 0, {}};
        const BackgroundMesh mesh = sampleMesh(one.plane, defaultCell(one.plane));
        one.noise = SmoothSky(mesh).typicalSigma();
        std::vector<double> levels;
        for (const MeshCell& c : mesh.cells)
            if (c.used) levels.push_back(c.level);
        one.sky = median(std::span<double>(levels));
        for (const Star& s : findStars(one.plane, kNeverSaturated).stars)
            if (!s.saturated) one.stars.push_back({{s.x, s.y}, s.flux});
        if (i > 0) {
            auto found = align(all[0].stars, one.stars);
            if (!found) return Error{phrase("{} cannot be laid on {}: {}", shown(files[i]), shown(files[0]), found.error().message)};
            one.alignment = *found;
            // Electrons alike: exposure and gain; stars would tell the width of the band, not the line.
            const auto perSecond = [](const FrameFacts& f) { return f.gain_e_per_adu.value_or(1) / f.sub_exposure_s.value_or(1); };
            one.factor = perSecond(one.facts) / perSecond(all[0].facts);
        }
        all.push_back(std::move(one));
    }
    const int w = all[0].plane.width(), h = all[0].plane.height();
    double sum = 0;
    std::vector<double> weights;
    for (const One& o : all) {
        const double noise = o.noise * o.factor / o.alignment.scale;
        weights.push_back(1 / (noise * noise));
        sum += weights.back();
    }
    Plane result(w, h, 0);
    std::vector<float> share(result.size(), 0);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const One& o = all[i];
        const auto to = o.alignment.forward();
        const auto weight = static_cast<float>(weights[i] / sum), factor = static_cast<float>(o.factor), sky = static_cast<float>(o.sky);
        tbb::parallel_for(0, h, [&](int y) {
            std::vector<float> row(static_cast<std::size_t>(w), 0);
            resampleRow({o.plane.data(), o.plane.width(), 0, o.plane.height()}, to, y, w, 1, row.data());
            for (int x = 0; x < w; ++x) { // above its own sky: frames of which one ends here must not leave a step
                const float v = row[static_cast<std::size_t>(x)];
                if (v != v) continue;
                result.at(x, y) += weight * (v - sky) * factor;
                share[static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)] += weight;
            }
        });
    }
    double level = 0;
    for (std::size_t i = 0; i < all.size(); ++i) level += weights[i] / sum * all[i].sky * all[i].factor;
    for (std::size_t i = 0; i < result.size(); ++i) result.data()[i] = share[i] > 0 ? result.data()[i] / share[i] + static_cast<float>(level) : kNoData;
    auto cards = cardsOf(all[0].facts, "oxygen of several filters");
    for (HeaderCard& c : cards)
        if (c.keyword == "NCOMBINE")
            c.value = static_cast<long long>(
                std::llround(sum / weights[0] * static_cast<double>(all[0].facts.sub_count.value_or(1)))); // as many of the first one's subs would be as deep
    for (std::size_t i = 0; i < files.size(); ++i)
        cards.push_back({"HISTORY", fmt::format("{}: {:.1f} %", shown(files[i].filename()), 100 * weights[i] / sum), ""});
    return writeFits(out, {&result}, cards);
}

} // namespace caelumen
