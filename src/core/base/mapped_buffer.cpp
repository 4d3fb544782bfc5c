#include "core/base/mapped_buffer.h"

#include <cstdio>
#include <filesystem>
#include <fcntl.h>
#include <new>
#include <sys/mman.h>
#include <unistd.h>
#include <utility>

namespace caelumen {

MappedBuffer::MappedBuffer(std::size_t bytes) : m_bytes(bytes) {
    if (bytes == 0) return;
    std::error_code failed;
    std::string name = (std::filesystem::temp_directory_path(failed) / "caelumen-picture-XXXXXX").string();
    const int file = failed ? -1 : ::mkstemp(name.data());
    if (file >= 0) {
        ::unlink(name.c_str()); // gone with the process, however it ends
        // Space is reserved now: a full disk must not become a fault in the middle of drawing.
        if (::posix_fallocate(file, 0, static_cast<off_t>(bytes)) == 0) {
            void* data = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0);
            if (data != MAP_FAILED) m_data = data;
        }
        ::close(file);
    }
    if (!m_data) {
        void* data = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
        if (data == MAP_FAILED) throw std::bad_alloc();
        m_data = data;
    }
}

MappedBuffer::MappedBuffer(MappedBuffer&& other) noexcept : m_data(std::exchange(other.m_data, nullptr)), m_bytes(std::exchange(other.m_bytes, 0)) {}

MappedBuffer& MappedBuffer::operator=(MappedBuffer&& other) noexcept {
    std::swap(m_data, other.m_data);
    std::swap(m_bytes, other.m_bytes);
    return *this;
}

MappedBuffer::~MappedBuffer() {
    if (m_data) ::munmap(m_data, m_bytes);
}

} // namespace caelumen
