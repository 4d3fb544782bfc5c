#include "core/image/fits_bands.h"

#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <unistd.h>

namespace caelumen {

namespace {

/// Text of a header is printable ASCII (FITS standard 4.0, section 4.2.1): line ends and their like become blanks, any other character a question mark.
std::string cardText(std::string_view text) {
    const std::string line = oneLine(text);
    std::string out;
    for (const char c : line) {
        const auto code = static_cast<unsigned char>(c);
        if (code < 0x80)
            out += c;
        else if ((code & 0xC0) != 0x80)
            out += '?'; // once a character
    }
    return out;
}

constexpr std::size_t kBlock = 2880, kCard = 80; ///< bytes of a FITS file's records, and of a line of its header
constexpr std::size_t kSpare = 60;               ///< lines for cards that come last

/// A whole header for floats, with blank lines for more. CFITSIO writes it for a single pixel in memory: closing a file it would fill in all pixels.
std::string headerText(const std::vector<long>& size, const std::vector<HeaderCard>& cards, int* status) {
    fitsfile* raw = nullptr;
    if (fits_create_file(&raw, "mem://", status) != 0) return {};
    const FitsHandle file(raw);
    std::vector<long> one(size.size(), 1);
    fits_create_img(raw, FLOAT_IMG, static_cast<int>(one.size()), one.data(), status);
    for (const HeaderCard& card : cards) putCard(raw, card, status);
    char* text = nullptr;
    int lines = 0;
    if (fits_hdr2str(raw, 0, nullptr, 0, &text, &lines, status) != 0) return {};
    std::string out(text);
    int freed = 0;
    fits_free_memory(text, &freed);
    if (out.size() >= kCard && out.compare(out.size() - kCard, 4, "END ") == 0) out.resize(out.size() - kCard);
    for (std::size_t axis = 0; axis < size.size(); ++axis) {
        const std::string name = fmt::format("{:<8}= ", fmt::format("NAXIS{}", axis + 1));
        const std::size_t at = out.find(name);
        if (at == std::string::npos || at % kCard != 0) *status = NO_NAXES;
        if (*status != 0) return {};
        out.replace(at, name.size() + 20, fmt::format("{}{:>20}", name, size[axis]));
    }
    out.append(kSpare * kCard, ' ');
    const std::size_t records = (out.size() + kCard + kBlock - 1) / kBlock;
    out.resize(records * kBlock, ' ');
    out.replace((records - 1) * kBlock, 3, "END"); // as CFITSIO ends a header with room in it
    return out;
}

} // namespace

void putCard(fitsfile* file, const HeaderCard& card, int* status) {
    const std::string said = cardText(card.comment);
    const char* comment = said.empty() ? nullptr : said.c_str();
    if (card.keyword == "HISTORY")
        fits_write_history(file, cardText(std::get<std::string>(card.value)).c_str(), status);
    else if (const auto* text = std::get_if<std::string>(&card.value))
        fits_write_key_str(file, card.keyword.c_str(), cardText(*text).c_str(), comment, status);
    else if (const auto* whole = std::get_if<long long>(&card.value))
        fits_write_key_lng(file, card.keyword.c_str(), *whole, comment, status);
    else
        fits_write_key_dbl(file, card.keyword.c_str(), std::get<double>(card.value), -10, comment, status);
}

Error FitsBandWriter::failed(const std::string& reason) const {
    return Error{phrase("{} could not be written ({}); check the folder and the space left.", shown(m_named), reason)};
}

Status FitsBandWriter::put(const void* from, std::size_t bytes, long long at) {
    if (!m_file.write(from, bytes, at)) return failed(std::strerror(errno));
    m_early.wrote(m_file, bytes);
    return Done{};
}

Result<FitsBandWriter> FitsBandWriter::create(const std::filesystem::path& part, const std::filesystem::path& named, int width, int height, int planes,
                                              const std::vector<HeaderCard>& cards) {
    FitsBandWriter out(OpenFile(::open(part.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666)));
    out.m_part = part, out.m_named = named;
    out.m_width = width, out.m_height = height;
    if (out.m_file.number() < 0) return out.failed(std::strerror(errno));
    std::vector<long> size{width, height};
    if (planes > 1) size.push_back(planes);
    int status = 0;
    const std::string header = headerText(size, cards, &status);
    if (status != 0) return out.failed(fitsReason(status));
    out.m_start = static_cast<long long>(header.size());
    const std::size_t end =
        header.size() + static_cast<std::size_t>(width) * static_cast<std::size_t>(height) * static_cast<std::size_t>(planes) * sizeof(float);
    if (::ftruncate(out.m_file.number(), static_cast<off_t>((end + kBlock - 1) / kBlock * kBlock)) != 0) return out.failed(std::strerror(errno));
    if (const Status put = out.put(header.data(), header.size(), 0); !put) return put.error();
    return out;
}

Status FitsBandWriter::write(int plane, int y, int rows, const float* values) {
    const auto count = static_cast<std::size_t>(rows) * static_cast<std::size_t>(m_width);
    m_turned.resize(count);
    rows::fromFloats(reinterpret_cast<const std::uint32_t*>(values), static_cast<int>(count), m_turned.data()); // there and back are the same
    const long long first = (static_cast<long long>(plane) * m_height + y) * m_width;
    return put(m_turned.data(), count * sizeof(float), m_start + first * static_cast<long long>(sizeof(float)));
}

Status FitsBandWriter::finish(const std::vector<HeaderCard>& cards) {
    if (cards.empty()) return Done{};
    fitsfile* raw = nullptr;
    int status = 0, closing = 0;
    if (fits_open_diskfile(&raw, m_part.c_str(), READWRITE, &status) != 0) return failed(fitsReason(status));
    for (const HeaderCard& card : cards) putCard(raw, card, &status);
    fits_close_file(raw, &closing);
    if (status == 0) status = closing;
    if (status != 0) return failed(fitsReason(status));
    return Done{};
}

} // namespace caelumen
