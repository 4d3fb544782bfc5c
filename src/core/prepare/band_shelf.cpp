#include "core/prepare/band_shelf.h"

#include <functional>

namespace caelumen {
namespace fs = std::filesystem;

BandShelf::BandShelf(fs::path file, const std::string& stamp)
    : m_file(std::move(file))
    , m_stamp(std::hash<std::string>{}(stamp)) {
    m_in.open(m_file, std::ios::binary);
    std::uint64_t found = 0;
    if (m_in.read(reinterpret_cast<char*>(&found), sizeof found) && found == m_stamp)
        m_whole = sizeof found;
    else
        m_in.close();
}

bool BandShelf::take(std::vector<float>& values) {
    std::error_code failed;
    std::uint64_t count = 0;
    if (!m_in.is_open() || !m_in.read(reinterpret_cast<char*>(&count), sizeof count) || count * sizeof(float) > fs::file_size(m_file, failed)) return false;
    values.resize(count);
    if (!m_in.read(reinterpret_cast<char*>(values.data()), static_cast<std::streamsize>(count * sizeof(float)))) return false;
    m_whole += sizeof count + count * sizeof(float);
    return true;
}

void BandShelf::put(const std::vector<float>& values) {
    if (!m_out.is_open()) {
        m_in.close();
        std::error_code failed;
        if (m_whole > 0) fs::resize_file(m_file, m_whole, failed); // what was cut short
        m_out.open(m_file, m_whole > 0 && !failed ? std::ios::binary | std::ios::app : std::ios::binary | std::ios::trunc);
        if (m_whole == 0 || failed) m_out.write(reinterpret_cast<const char*>(&m_stamp), sizeof m_stamp);
    }
    const std::uint64_t count = values.size();
    m_out.write(reinterpret_cast<const char*>(&count), sizeof count);
    m_out.write(reinterpret_cast<const char*>(values.data()), static_cast<std::streamsize>(count * sizeof(float)));
    m_out.flush();
    if (!m_out) remove(); // no room: go on without
}

void BandShelf::remove() {
    m_in.close();
    m_out.close();
    m_out.setstate(std::ios::badbit);
    std::error_code ignored;
    fs::remove(m_file, ignored);
}

} // namespace caelumen
