#include "core/image/fits_structure.h"

#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <functional>
#include <optional>
#include <string_view>
#include <vector>
#include <zlib.h>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kBlock = 2880, kCard = 80;
constexpr long long kMostCards = 50'000; ///< stacks with a line of history for each sub have some thousands
constexpr int kMostAxes = 99, kMostExtensions = 64;
constexpr double kMostUnpacked = 2e9, kSmall = 256e6, kMostPacked = 200;

/// What one header says of the bytes after it.
struct Header {
    bool isFirst = false, isImage = false, isPackedImage = false;
    double bits = 0, groups = 1, heap = 0;
    int axes = 0;
    std::array<double, kMostAxes> sizes{};

    /// The size of the data in bytes, without the filling of its last block. Doubles: a damaged header can claim any product.
    double dataBytes() const {
        if (axes == 0) return 0;
        double n = 1;
        for (int i = 0; i < axes; ++i)
            n *= i == 0 && sizes[0] == 0 && isFirst && axes > 1 ? 1 : sizes[static_cast<std::size_t>(i)]; // random groups have no first axis
        return std::abs(bits) / 8 * (isFirst ? n : groups * (heap + n));
    }
    bool isFrame() const {
        if (isPackedImage) return true;
        if (!isImage || axes < 2 || sizes[0] < 1 || sizes[1] < 1) return false;
        double planes = 1;
        for (int i = 2; i < axes; ++i) planes *= sizes[static_cast<std::size_t>(i)];
        return planes == 1 || planes == 3;
    }
};

/// The number of a card, or nothing.
std::optional<double> valueOf(std::string_view card) {
    if (card.substr(8, 2) != "= ") return std::nullopt;
    const std::string text(card.substr(10, 70));
    char* end = nullptr;
    const double v = std::strtod(text.c_str(), &end);
    return end == text.c_str() || !std::isfinite(v) ? std::nullopt : std::optional(v);
}

/// Takes what counts out of one card; a word for what cannot be.
std::string take(std::string_view card, Header& to) {
    const std::string_view key = card.substr(0, 8);
    const auto number = [&](double& value, double low, double high) -> std::string {
        const auto v = valueOf(card);
        if (!v || *v < low || *v > high || std::floor(*v) != *v)
            return fmt::format("{} is {}", oneLine(key.substr(0, key.find(' '))), oneLine(card.substr(10, 20)));
        value = *v;
        return {};
    };
    if (key == "BITPIX  ") return number(to.bits, -64, 64);
    if (key == "PCOUNT  ") return number(to.heap, 0, 1e15);
    if (key == "GCOUNT  ") return number(to.groups, 0, 1e15);
    if (key == "ZIMAGE  ") to.isPackedImage = card.substr(10, 20).find('T') != std::string_view::npos;
    if (key == "XTENSION") to.isImage = card.substr(10).find("IMAGE") != std::string_view::npos;
    if (!key.starts_with("NAXIS")) return {};
    if (key == "NAXIS   ") {
        double axes = 0;
        if (std::string wrong = number(axes, 0, kMostAxes); !wrong.empty()) return wrong;
        to.axes = static_cast<int>(axes);
        return {};
    }
    const int axis = std::atoi(std::string(key.substr(5)).c_str());
    if (axis < 1 || axis > kMostAxes) return {};
    return number(to.sizes[static_cast<std::size_t>(axis - 1)], 0, 1e15);
}

/// Bytes one after another, from a plain file or a packed one; fewer than asked for at its end.
using Source = std::function<std::size_t(char*, std::size_t)>;

class Walk {
public:
    Walk(const fs::path& path, Source source)
        : m_path(path)
        , m_source(std::move(source)) {}

    /// The next header; nothing at the end of the file.
    Result<std::optional<Header>> next() {
        Header out;
        out.isFirst = out.isImage = m_count == 0;
        std::array<char, kBlock> block{};
        for (long long cards = 0;; cards += static_cast<long long>(kBlock / kCard)) {
            const std::size_t got = m_source(block.data(), kBlock);
            if (cards == 0 && m_count > 0 && (got < kBlock || std::string_view(block.data(), 8) != "XTENSION"))
                return std::optional<Header>(); // what else follows is nobody's
            if (got < kBlock) return Error{phrase("{} is cut short within its header; copy it again.", shown(m_path))};
            if (cards > kMostCards)
                return Error{
                    phrase("The header of {} has more than {} lines, more than can be handled; take its comments and history out.", shown(m_path), kMostCards)};
            for (std::size_t at = 0; at < kBlock; at += kCard) {
                const std::string_view card(block.data() + at, kCard);
                if (card.starts_with("END") && (card[3] == ' ' || card[3] == '\0')) {
                    ++m_count;
                    return std::optional(out);
                }
                if (const std::string wrong = take(card, out); !wrong.empty())
                    return Error{phrase("{} cannot be read as FITS: its header is damaged ({}); copy it again.", shown(m_path), wrong)};
            }
        }
    }

private:
    const fs::path& m_path;
    Source m_source;
    int m_count = 0;
};

double toBlocks(double bytes) {
    return std::ceil(bytes / kBlock) * kBlock;
}

struct GzClose {
    void operator()(gzFile_s* file) const { gzclose(file); }
};

} // namespace

Status checkFitsStructure(const fs::path& path) {
    const OpenFile file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    std::error_code failed;
    const auto size = static_cast<double>(fs::file_size(path, failed));
    if (file.number() < 0 || failed) return Error{phrase("{} cannot be opened ({}); check its permissions.", shown(path), std::strerror(errno))};
    double at = 0;
    Walk walk(path, [&](char* to, std::size_t bytes) {
        const auto left = static_cast<std::size_t>(std::max(0.0, std::min<double>(static_cast<double>(bytes), size - at)));
        if (!file.read(to, left, static_cast<long long>(at))) return std::size_t{0};
        at += static_cast<double>(left);
        return left;
    });
    for (int n = 0; n < kMostExtensions && at < size; ++n) {
        const auto header = walk.next();
        if (!header) return header.error();
        if (!*header || (*header)->isFrame()) break;
        at += toBlocks((*header)->dataBytes());
    }
    return Done{};
}

Result<std::shared_ptr<const OpenFile>> unpackGzippedFits(const fs::path& path) {
    std::error_code failed;
    const auto size = static_cast<double>(fs::file_size(path, failed));
    const std::unique_ptr<gzFile_s, GzClose> packed(gzopen(path.c_str(), "rbe"));
    if (!packed || failed) return Error{phrase("{} cannot be opened; check its permissions.", shown(path))};
    gzbuffer(packed.get(), 1 << 18);
    auto unpacked = unnamedFile(phrase("{} cannot be unpacked", shown(path)));
    if (!unpacked) return unpacked.error();
    std::optional<Error> full;
    double done = 0;
    const auto damaged = [&] { return full ? *full : Error{phrase("{} is a damaged or cut gzip file; copy it again.", shown(path))}; };
    const Source source = [&](char* to, std::size_t bytes) -> std::size_t {
        const int got = gzread(packed.get(), to, static_cast<unsigned>(bytes));
        if (got <= 0) return 0;
        if (!unpacked->append(to, static_cast<std::size_t>(got)) && !full)
            full = Error{
                phrase("{} cannot be unpacked into {} ({}); make room there.", shown(path), shown(fs::temp_directory_path(failed)), std::strerror(errno))};
        done += got;
        return full ? 0 : static_cast<std::size_t>(got);
    };
    Walk walk(path, source);
    std::vector<char> piece(1 << 20);
    for (int n = 0; n < kMostExtensions; ++n) {
        const auto header = walk.next();
        if (!header) return full ? *full : header.error();
        if (!*header) break;
        const double bytes = toBlocks((*header)->dataBytes());
        if (done + bytes > kMostUnpacked || (done + bytes > kSmall && done + bytes > kMostPacked * size))
            return Error{phrase("{} would unpack to {:.0f} MB, more than a frame packed into {:.1f} MB can be; if it is one, unpack it yourself first.",
                                shown(path), (done + bytes) / 1e6, size / 1e6)};
        for (double left = bytes; left > 0;) {
            const std::size_t got = source(piece.data(), static_cast<std::size_t>(std::min(left, static_cast<double>(piece.size()))));
            if (got == 0) {
                // The filling of the last block may be missing.
                if (!full && gzeof(packed.get()) && left < kBlock && bytes - left >= (*header)->dataBytes()) break;
                return damaged();
            }
            left -= static_cast<double>(got);
        }
        if ((*header)->isFrame()) break;
    }
    return std::make_shared<const OpenFile>(std::move(*unpacked));
}

} // namespace caelumen
