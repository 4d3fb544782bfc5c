#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>

namespace caelumen {

/// Memory for pictures, backed by an unnamed file in the temporary folder, so that the system can drop its pages when memory is wanted elsewhere.
/// Falls back to plain memory where no such file can be made.
class MappedBuffer {
public:
    MappedBuffer() = default;
    explicit MappedBuffer(std::size_t bytes); ///< throws std::bad_alloc
    MappedBuffer(MappedBuffer&&) noexcept;
    MappedBuffer& operator=(MappedBuffer&&) noexcept;
    ~MappedBuffer();

    std::uint16_t* words() { return static_cast<std::uint16_t*>(m_data); }
    const std::uint16_t* words() const { return static_cast<const std::uint16_t*>(m_data); }

private:
    void* m_data = nullptr;
    std::size_t m_bytes = 0;
};

} // namespace caelumen
