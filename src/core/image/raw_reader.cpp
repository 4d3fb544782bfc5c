#include "core/image/raw_reader.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <ctime>
#include <libraw/libraw.h>
#include <memory>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

Error damaged(const fs::path& path, int code) {
    return Error{phrase("{} cannot be read as camera raw ({}); copy it again, or convert it to FITS.", shown(path), libraw_strerror(code))};
}

Result<std::unique_ptr<LibRaw>> opened(const fs::path& path) {
    auto raw = std::make_unique<LibRaw>(); // it is too large for a stack
    if (const int code = raw->open_file(path.c_str()); code != LIBRAW_SUCCESS) return damaged(path, code);
    return raw;
}

std::string utc(std::time_t when) {
    std::tm parts{};
    if (when <= 0 || !gmtime_r(&when, &parts)) return {};
    return fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}Z", parts.tm_year + 1900, parts.tm_mon + 1, parts.tm_mday, parts.tm_hour, parts.tm_min,
                       parts.tm_sec);
}

} // namespace

bool looksRaw(const fs::path& path) {
    const std::string ending = endingOf(path);
    static constexpr const char* kEndings[] = {".cr2", ".cr3", ".crw", ".nef", ".nrw", ".arw", ".sr2", ".raf",
                                               ".rw2", ".orf", ".pef", ".dng", ".srw", ".3fr", ".iiq", ".raw"};
    return std::find(std::begin(kEndings), std::end(kEndings), ending) != std::end(kEndings);
}

Result<FrameInfo> readRawInfo(const fs::path& path) {
    auto file = opened(path);
    if (!file) return file.error();
    LibRaw& raw = **file;
    const auto& d = raw.imgdata;
    FrameInfo out;
    out.path = path;
    out.width = d.sizes.width;
    out.height = d.sizes.height;
    if (out.width < 2 || out.height < 2 || static_cast<long long>(out.width) * out.height > (1LL << 29))
        return Error{phrase("{} claims {} x {} pixels; it is damaged or no camera raw.", shown(path), out.width, out.height)};
    out.bits = 16;
    out.integer = true;
    if (d.idata.filters >= 1000) {
        std::string pattern;
        for (const int y : {0, 1})
            for (const int x : {0, 1}) pattern += "RGBG"[raw.COLOR(y, x) & 3];
        out.mosaic = mosaicPattern(pattern, 0, 0, false, out.height);
        if (!out.mosaic) return Error{phrase("{} has a colour mosaic that is not 2 x 2; convert it to FITS.", shown(path))};
    } else if (d.idata.filters != 0 || d.idata.colors != 1) {
        return Error{phrase("{} is no plain sensor picture (its colours are not a 2 x 2 mosaic); convert it to FITS.", shown(path))};
    }
    out.channels = out.mosaic ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"L"};
    FrameFacts& f = out.facts;
    const auto positive = [&](const char* fact, std::optional<double>& to, double value) {
        if (value > 0 && std::isfinite(value)) to = value, f.sources[fact] = "raw";
    };
    positive("sub_exposure_s", f.sub_exposure_s, static_cast<double>(d.other.shutter));
    positive("gain_setting", f.gain_setting, static_cast<double>(d.other.iso_speed));
    positive("focal_length_mm", f.focal_length_mm, static_cast<double>(d.other.focal_len));
    positive("pedestal_adu", f.pedestal_adu, static_cast<double>(d.color.black));
    if (const std::string when = utc(d.other.timestamp); !when.empty()) {
        f.start = when;
        f.sources["start"] = "raw";
        f.notes.emplace_back(phrase("A camera's clock shows its own zone's time: the start may be hours off UTC"));
    }
    const std::string camera = std::string(d.idata.make) + (d.idata.model[0] ? " " : "") + d.idata.model;
    if (camera.size() > 1) f.camera = oneLine(camera);
    return out;
}

Result<Plane> readRawPlane(const FrameInfo& info) {
    auto file = opened(info.path);
    if (!file) return file.error();
    LibRaw& raw = **file;
    if (const int code = raw.unpack(); code != LIBRAW_SUCCESS) return damaged(info.path, code);
    const auto& d = raw.imgdata;
    const auto& s = d.sizes;
    if (!d.rawdata.raw_image || s.width != info.width || s.height != info.height || s.top_margin + s.height > s.raw_height ||
        s.left_margin + s.width > s.raw_width)
        return Error{phrase("{} holds no plain sensor picture; convert it to FITS.", shown(info.path))};
    Plane out = Plane::unfilled(info.width, info.height);
    const std::size_t pitch = s.raw_pitch / 2U;
    for (int y = 0; y < info.height; ++y) {
        const ushort* from = d.rawdata.raw_image + static_cast<std::size_t>(y + s.top_margin) * pitch + s.left_margin;
        std::copy_n(from, info.width, out.row(y));
    }
    return out;
}

} // namespace caelumen
