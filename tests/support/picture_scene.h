#pragma once

#include "core/base/statistics.h"
#include "core/image/fits_writer.h"
#include "core/stars/alignment.h"
#include "support/scenes.h"

#include <QTest>

#include <array>
#include <cmath>

/// Made-up stacks of a nebula and its stars, for pictures.
namespace caelumen::picture_scene {

inline constexpr int kWidth = 420, kHeight = 320;
inline constexpr double kGain = 0.78, kPedestal = 100, kExposure = 180;

struct Sky {
    double nebula = 0.4, star = 1, ghost = 0, level = 0.5, noise = 0.006;
    Alignment alignment = {};
    unsigned long long seed = 1;
    bool galaxy = false;
};

inline double nebulaAt(double x, double y) {
    return std::exp(-std::pow((x - 200) / 80, 2) - std::pow((y - 160) / 60, 2));
}

inline const std::vector<std::array<double, 3>>& field() {
    static const std::vector<std::array<double, 3>> stars = [] {
        std::vector<std::array<double, 3>> out{{212.3, 131.7, 2500}};
        Random random(5);
        for (int i = 0; i < 120; ++i) out.push_back({random.uniform() * kWidth, random.uniform() * kHeight, std::pow(10, 0.4 + 1.9 * random.uniform())});
        return out;
    }();
    return stars;
}

/// e-/s per pixel of a made-up field on a frame of its own.
inline Plane rates(const Sky& s) {
    Plane p(kWidth, kHeight);
    Random random(s.seed);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
            const Point at = s.alignment.unmap({static_cast<double>(x), static_cast<double>(y)});
            double v = s.level * (1 + 0.04 * (x - kWidth / 2) / kWidth);
            if (s.galaxy) {
                const double r = std::hypot((at.x - 200) / 40, (at.y - 160) / 28);
                v += s.nebula * 6 * std::exp(-1.7 * r);
            } else {
                v += s.nebula * nebulaAt(at.x, at.y);
            }
            p.at(x, y) = static_cast<float>(v);
        }
    for (const auto& [sx, sy, flux] : field()) {
        const Point at = s.alignment.map({sx, sy});
        const double k = 4 * (std::pow(2, 1 / 3.0) - 1) / 9;
        for (int y = std::max(0, static_cast<int>(at.y) - 40); y <= std::min(kHeight - 1, static_cast<int>(at.y) + 40); ++y)
            for (int x = std::max(0, static_cast<int>(at.x) - 40); x <= std::min(kWidth - 1, static_cast<int>(at.x) + 40); ++x) {
                const double r2 = std::pow(x - at.x, 2) + std::pow(y - at.y, 2);
                double v = 2 * k / M_PI * std::pow(1 + k * r2, -3);
                if (flux == 2500 && r2 < 30 * 30) v += s.ghost / (M_PI * 900);
                p.at(x, y) += static_cast<float>(s.star * flux * v);
            }
    }
    for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] += static_cast<float>(s.noise * random.normal());
    return p;
}

class Folder : public scenes::Folder {
public:
    void stack(const char* name, const std::vector<Sky>& skies) {
        std::vector<Plane> planes;
        for (const Sky& s : skies) planes.push_back(rates(s));
        write(name, std::move(planes), 20);
    }
    /// With the stacks of its odd and of its even subs beside it; comes back in e-/s: odd, even.
    std::pair<Plane, Plane> stackWithHalves(const std::string& name, Sky sky) {
        sky.noise *= std::sqrt(2);
        Plane odd = rates(sky);
        sky.seed += 1000;
        Plane even = rates(sky), whole(odd);
        for (std::size_t i = 0; i < whole.size(); ++i) whole.data()[i] = 0.5F * (odd.data()[i] + even.data()[i]);
        write(name + ".fits", {whole}, 20);
        write(name + "-odd.fits", {odd}, 10);
        write(name + "-even.fits", {even}, 10);
        return {std::move(odd), std::move(even)};
    }

private:
    void write(const std::string& name, std::vector<Plane> planes, long long subs) {
        for (Plane& p : planes)
            for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = static_cast<float>(static_cast<double>(p.data()[i]) * kExposure / kGain + kPedestal);
        std::vector<const Plane*> pointers;
        for (const Plane& p : planes) pointers.push_back(&p);
        QVERIFY(
            writeFits(path() / name, pointers, {{"EXPTIME", kExposure, ""}, {"NCOMBINE", subs, ""}, {"EGAIN", kGain, ""}, {"PEDESTAL", kPedestal, ""}}).ok());
    }
};

} // namespace caelumen::picture_scene
