#include "core/palette/colour_vision.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

using Matrix = std::array<std::array<float, 3>, 3>;

constexpr std::array<Matrix, 3> kMatrices{{
    {{{0.152286F, 1.052583F, -0.204868F}, {0.114503F, 0.786281F, 0.099216F}, {-0.003882F, -0.048116F, 1.051998F}}},
    {{{0.367322F, 0.860646F, -0.227968F}, {0.280085F, 0.672501F, 0.047413F}, {-0.011820F, 0.042940F, 0.968881F}}},
    {{{1.255528F, -0.076749F, -0.178779F}, {-0.078411F, 0.930809F, 0.147602F}, {0.004733F, 0.691367F, 0.303900F}}},
}};

std::array<float, 256> linearTable() {
    std::array<float, 256> out{};
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double v = static_cast<double>(i) / 255;
        out[i] = static_cast<float>(v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4));
    }
    return out;
}

constexpr std::size_t kSteps = 4096;

std::array<std::uint8_t, kSteps + 1> codeTable() {
    std::array<std::uint8_t, kSteps + 1> out{};
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double v = std::pow(static_cast<double>(i) / kSteps, 2); // even in the root: dark codes lie close
        out[i] = static_cast<std::uint8_t>(std::lround(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055)));
    }
    return out;
}

} // namespace

void asSeenBy(ColourVision eyes, std::uint32_t* pixels, std::size_t count) {
    if (eyes == ColourVision::Usual) return;
    const Matrix& m = kMatrices[static_cast<std::size_t>(eyes) - 1];
    const auto linear = linearTable();
    const auto codes = codeTable();
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, 1 << 14), [&](const tbb::blocked_range<std::size_t>& part) {
        for (std::size_t i = part.begin(); i < part.end(); ++i) {
            const std::array<float, 3> v{linear[pixels[i] >> 16 & 0xffU], linear[pixels[i] >> 8 & 0xffU], linear[pixels[i] & 0xffU]};
            std::uint32_t out = 0xff;
            for (const auto& row : m) {
                const float sum = std::clamp(row[0] * v[0] + row[1] * v[1] + row[2] * v[2], 0.0F, 1.0F);
                out = out << 8 | codes[static_cast<std::size_t>(std::sqrt(sum) * static_cast<float>(kSteps) + 0.5F)];
            }
            pixels[i] = out;
        }
    });
}

} // namespace caelumen
