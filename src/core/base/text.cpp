#include "core/base/text.h"

namespace caelumen {
namespace {

constexpr std::size_t kByteMarkLength = 3; // of U+EF80 to U+EFFF in UTF-8: EE BE 80 to EE BF BF

unsigned char byteAt(std::string_view text, std::size_t i) {
    return i < text.size() ? static_cast<unsigned char>(text[i]) : 0;
}

void append(std::string& out, char32_t c) {
    const auto put = [&](char32_t v) { out += static_cast<char>(static_cast<unsigned char>(v)); };
    if (c < 0x80) return put(c);
    if (c < 0x800) {
        put(0xC0 | (c >> 6));
    } else if (c < 0x10000) {
        put(0xE0 | (c >> 12));
        put(0x80 | ((c >> 6) & 0x3F));
    } else {
        put(0xF0 | (c >> 18));
        put(0x80 | ((c >> 12) & 0x3F));
        put(0x80 | ((c >> 6) & 0x3F));
    }
    put(0x80 | (c & 0x3F));
}

/// One of the characters that stand for a byte; the byte, or nothing (0).
unsigned char markedByte(std::string_view text, std::size_t i) {
    const unsigned char second = byteAt(text, i + 1), third = byteAt(text, i + 2);
    if (byteAt(text, i) != 0xEE || (second != 0xBE && second != 0xBF) || third < 0x80 || third > 0xBF) return 0;
    return static_cast<unsigned char>(0x80 + ((second & 1) << 6) + (third & 0x3F));
}

std::string fromUtf16(std::string_view bytes, bool bigEnd) {
    std::string out;
    const auto unit = [&](std::size_t i) {
        return static_cast<char32_t>(bigEnd ? byteAt(bytes, i) << 8 | byteAt(bytes, i + 1) : byteAt(bytes, i + 1) << 8 | byteAt(bytes, i));
    };
    for (std::size_t i = 2; i + 1 < bytes.size(); i += 2) {
        char32_t c = unit(i);
        if (c >= 0xD800 && c < 0xDC00 && i + 3 < bytes.size() && unit(i + 2) >= 0xDC00 && unit(i + 2) < 0xE000) {
            c = 0x10000 + ((c - 0xD800) << 10) + (unit(i + 2) - 0xDC00);
            i += 2;
        }
        append(out, c >= 0xD800 && c < 0xE000 ? 0xFFFD : c);
    }
    return out;
}

/// Whether the bytes from here on begin a character of UTF-8 and end within it.
bool isCutOff(std::string_view tail) {
    const unsigned char lead = byteAt(tail, 0);
    const std::size_t wanted = lead >= 0xF0 && lead <= 0xF4 ? 4 : lead >= 0xE0 && lead < 0xF0 ? 3 : lead >= 0xC2 && lead < 0xE0 ? 2 : 0;
    if (tail.size() >= wanted) return false;
    return std::all_of(tail.begin() + 1, tail.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) == 0x80; });
}

} // namespace

std::string slug(const std::string& name) {
    std::string out;
    for (const char c : lowered(name)) {
        const auto byte = static_cast<unsigned char>(c);
        if (std::isalnum(byte) || byte >= 0x80)
            out += c;
        else if (!out.empty() && out.back() != '-')
            out += '-';
    }
    while (!out.empty() && out.back() == '-') out.pop_back();
    return out.empty() ? "filter" : out;
}

std::size_t utf8Length(std::string_view bytes, std::size_t at) {
    const unsigned char lead = byteAt(bytes, at), second = byteAt(bytes, at + 1);
    if (at >= bytes.size()) return 0;
    if (lead < 0x80) return 1;
    const std::size_t length = lead >= 0xF0 && lead <= 0xF4 ? 4 : lead >= 0xE0 && lead < 0xF0 ? 3 : lead >= 0xC2 && lead < 0xE0 ? 2 : 0;
    if (length == 0 || at + length > bytes.size()) return 0;
    for (std::size_t i = 1; i < length; ++i)
        if ((byteAt(bytes, at + i) & 0xC0) != 0x80) return 0;
    // Too long a form, a surrogate, or beyond the last character.
    if ((lead == 0xE0 && second < 0xA0) || (lead == 0xED && second > 0x9F) || (lead == 0xF0 && second < 0x90) || (lead == 0xF4 && second > 0x8F)) return 0;
    return length;
}

bool isUtf8(std::string_view bytes) {
    for (std::size_t i = 0; i < bytes.size();) {
        const std::size_t n = utf8Length(bytes, i);
        if (n == 0) return false;
        i += n;
    }
    return true;
}

std::string utf8Text(std::string_view bytes) {
    if (bytes.starts_with("\xFF\xFE") || bytes.starts_with("\xFE\xFF")) return fromUtf16(bytes, bytes.front() == '\xFE');
    if (bytes.starts_with("\xEF\xBB\xBF")) bytes.remove_prefix(3);
    if (isUtf8(bytes)) return std::string(bytes);
    std::string out;
    bool isMultibyte = false;
    for (std::size_t i = 0; i < bytes.size();) {
        if (const std::size_t n = utf8Length(bytes, i); n > 0) {
            out += bytes.substr(i, n);
            isMultibyte = isMultibyte || n > 1;
            i += n;
            continue;
        }
        // "Café" in Latin-1 ends like a character that was cut: what else the text holds decides.
        if (const auto tail = bytes.substr(i); isCutOff(tail) && (isMultibyte || tail.size() > 1)) break;
        const unsigned char c = byteAt(bytes, i++);
        append(out, c < 0xA0 ? 0xFFFD : c);
    }
    return out;
}

std::string oneLine(std::string_view bytes) {
    std::string out = utf8Text(bytes);
    for (char& c : out)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F) c = ' ';
    return out;
}

std::string nameText(const std::filesystem::path& path) {
    const std::string& bytes = path.native();
    std::string out;
    for (std::size_t i = 0; i < bytes.size();) {
        std::size_t n = utf8Length(bytes, i);
        if (n == kByteMarkLength && markedByte(bytes, i) != 0) n = 0;
        if (n == 0)
            append(out, 0xEF00U + byteAt(bytes, i++));
        else
            out.append(bytes, i, n), i += n;
    }
    return out;
}

std::filesystem::path pathOf(std::string_view text) {
    std::string bytes;
    for (std::size_t i = 0; i < text.size();) {
        if (const unsigned char c = markedByte(text, i); c != 0)
            bytes += static_cast<char>(c), i += kByteMarkLength;
        else
            bytes += text[i++];
    }
    return bytes;
}

std::string shown(const std::filesystem::path& path) {
    return oneLine(path.native());
}

} // namespace caelumen
