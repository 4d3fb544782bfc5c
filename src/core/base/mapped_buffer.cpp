#include "core/base/mapped_buffer.h"

#include "core/base/open_file.h"

#include <fcntl.h>
#include <new>
#include <sys/mman.h>
#include <utility>

namespace caelumen {

MappedBuffer::MappedBuffer(std::size_t bytes)
    : m_bytes(bytes) {
    if (bytes == 0) return;
    if (const auto file = unnamedFile("Pictures")) {
        // Space is reserved now: a full disk must not become a fault in the middle of drawing.
        if (::posix_fallocate(file->number(), 0, static_cast<off_t>(bytes)) == 0) {
            void* data = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, file->number(), 0);
            if (data != MAP_FAILED) m_data = data;
        }
    }
    if (!m_data) {
        void* data = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
        if (data == MAP_FAILED) throw std::bad_alloc();
        m_data = data;
    }
}

MappedBuffer::MappedBuffer(MappedBuffer&& other) noexcept
    : m_data(std::exchange(other.m_data, nullptr))
    , m_bytes(std::exchange(other.m_bytes, 0)) {}

MappedBuffer& MappedBuffer::operator=(MappedBuffer&& other) noexcept {
    std::swap(m_data, other.m_data);
    std::swap(m_bytes, other.m_bytes);
    return *this;
}

MappedBuffer::~MappedBuffer() {
    if (m_data) ::munmap(m_data, m_bytes);
}

} // namespace caelumen
