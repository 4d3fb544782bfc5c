#include "core/image/fits_bands.h"

#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <array>

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

Error FitsBandWriter::failed(int status) const {
    return Error{phrase("{} could not be written ({}); check the folder and the space left.", shown(m_named), fitsReason(status))};
}

Result<FitsBandWriter> FitsBandWriter::create(const std::filesystem::path& part, const std::filesystem::path& named, int width, int height, int planes,
                                              const std::vector<HeaderCard>& cards) {
    FitsBandWriter out;
    out.m_named = named;
    out.m_width = width, out.m_height = height;
    fitsfile* raw = nullptr;
    int status = 0;
    if (fits_create_diskfile(&raw, part.c_str(), &status) != 0) return out.failed(status);
    out.m_file.reset(raw);
    out.m_early = EarlyFlush(part);
    std::array<long, 3> size{width, height, planes};
    fits_create_img(raw, FLOAT_IMG, planes == 1 ? 2 : 3, size.data(), &status);
    fits_set_hdrsize(raw, static_cast<int>(cards.size()) + 60, &status);
    for (const HeaderCard& card : cards) putCard(raw, card, &status);
    if (status != 0) return out.failed(status);
    return out;
}

Status FitsBandWriter::write(int plane, int y, int rows, const float* values) {
    int status = 0;
    const long long first = (static_cast<long long>(plane) * m_height + y) * m_width;
    fits_write_img(m_file.get(), TFLOAT, first + 1, static_cast<LONGLONG>(rows) * m_width, const_cast<float*>(values), &status);
    if (status != 0) return failed(status);
    m_early.wrote(static_cast<std::size_t>(rows) * static_cast<std::size_t>(m_width) * sizeof(float));
    return Done{};
}

Status FitsBandWriter::finish(const std::vector<HeaderCard>& cards) {
    int status = 0;
    for (const HeaderCard& card : cards) putCard(m_file.get(), card, &status);
    int closing = 0;
    fits_close_file(m_file.release(), &closing);
    if (status == 0) status = closing;
    if (status != 0) return failed(status);
    return Done{};
}

} // namespace caelumen
