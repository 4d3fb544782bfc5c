#pragma once

#include "core/compare/figures.h"

#include <algorithm>
#include <cmath>
#include <string>

namespace caelumen::harvests {

/// What one channel of a run showed, written down instead of measured: figures are tested without pixels.
struct Channel {
    PlaneHarvest plane;
    Surface surface;
    std::vector<char> excluded;

    explicit Channel(const std::string& name, double level = 2, double pixelSigma = 0.1) {
        plane.channel = name;
        plane.view.width = 600, plane.view.height = 400;
        plane.sky.mean = level, plane.sky.pixelSigma = pixelSigma;
        plane.sky.used = plane.sky.inside = 10'000;
        plane.noise.value = pixelSigma, plane.noise.samples = 5'000;
        surface.b0 = level, surface.valid = true, surface.coverage = 0.9, surface.cells = 200;
        for (std::size_t i = 0; i < 4; ++i) surface.covariance[i][i] = 1e-6;
    }

    /// Light of a region above the sky; rates of pixels.
    void region(const std::string& id, double above, std::size_t pixels = 2'500) {
        RegionSum sum;
        sum.mean = plane.sky.mean + above;
        sum.pixelSigma = plane.sky.pixelSigma;
        sum.used = sum.inside = pixels;
        plane.regions[id] = sum;
    }

    /// All its light times `factor`, noise as well: another unit.
    void scale(double factor) {
        const auto times = [factor](RegionSum& r) { r.mean *= factor, r.pixelSigma *= factor, r.starlight *= factor, r.fillSigma *= factor, r.skew *= factor; };
        times(plane.sky);
        for (auto& [id, sum] : plane.regions) times(sum);
        plane.noise.value *= factor;
        surface.b0 *= factor, surface.bx *= factor, surface.by *= factor, surface.q *= factor, surface.residual *= factor;
        for (auto& row : surface.covariance)
            for (double& c : row) c *= factor * factor;
        noise.value *= factor, noise.sigma *= factor, noise.unseenLight *= factor, noise.pixelStructure *= factor * factor;
        noise.structure *= factor * factor, noise.structureSigma *= factor * factor;
    }

    BoxNoise noise;
    Sky sky() const {
        Sky out;
        out.plane = &plane, out.surface = &surface, out.excluded = &excluded, out.noise = noise;
        return out;
    }
};

inline BoxNoise boxNoise(double value) {
    BoxNoise out;
    out.value = value, out.sigma = 0.05 * value, out.valid = true, out.source = NoiseSource::Halves;
    return out;
}

/// The figures of one run.
struct Sheet {
    TrialResults results;
    Run run;
    RunConditions conditions;
    FigureSheet sheet{results, run, conditions};

    Sheet() {
        run.id = "B", run.filter = "duo";
        conditions.total_s = 3600;
        conditions.width = 600, conditions.height = 400;
    }
    Sheet(const Sheet&) = delete;
    const Measurement* find(const char* quantity, const std::string& channel, const std::string& region = {}) const {
        for (const Measurement& m : results.measurements)
            if (m.quantity == quantity && m.channel == channel && m.region == region) return &m;
        return nullptr;
    }
    double value(const char* quantity, const std::string& channel, const std::string& region = {}) const {
        const Measurement* m = find(quantity, channel, region);
        return m ? m->value : std::nan("");
    }
    double sigma(const char* quantity, const std::string& channel, const std::string& region = {}) const {
        const Measurement* m = find(quantity, channel, region);
        return m ? m->sigma : std::nan("");
    }
    /// Why it is absent; empty where it is not.
    std::string why(const char* quantity, const std::string& channel, const std::string& region = {}) const {
        for (const Absence& a : results.absent)
            if (a.quantity == quantity && a.channel == channel && a.region == region) return a.reason;
        return {};
    }
    /// No quantity is both there and absent, none is there twice.
    bool isOrderly() const {
        for (const Measurement& m : results.measurements) {
            const auto same = [&](const auto& o) { return o.quantity == m.quantity && o.channel == m.channel && o.region == m.region; };
            if (std::count_if(results.measurements.begin(), results.measurements.end(), same) != 1) return false;
            if (std::any_of(results.absent.begin(), results.absent.end(), same)) return false;
            if (!std::isfinite(m.value) || !std::isfinite(m.sigma) || m.sigma < 0) return false;
        }
        return std::none_of(results.absent.begin(), results.absent.end(), [](const Absence& a) { return a.reason.empty(); });
    }
};

} // namespace caelumen::harvests
