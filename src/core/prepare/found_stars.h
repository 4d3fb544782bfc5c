#pragma once

#include "core/base/point.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace caelumen {

/// A star of one sub, for laying subs on each other and for transparency.
struct SubStar {
    Point at;              ///< stored pixels
    double flux = 0;       ///< through an aperture of the run, ADU; 0 where that is spoilt
    double brightness = 0; ///< as found, for matching
};

using SubStars = std::vector<SubStar>;

/// Where stars of subs lie when they are not in memory. May be asked from several threads.
class StarShelf {
public:
    struct Place {
        std::uint64_t at = 0;
        std::size_t bytes = 0;
        bool operator==(const Place&) const = default;
    };
    virtual ~StarShelf() = default;
    /// Throws std::runtime_error where they cannot be read.
    virtual SubStars starsAt(const Place& place) const = 0;
};

/// The stars of one sub, brightest first. A night has thousands of subs, and their figures go from thread to thread: copies share the stars, and those that lie
/// on a shelf are in memory only while somebody looks at them.
class FoundStars {
public:
    FoundStars() = default;
    FoundStars(SubStars stars)
        : m_size(stars.size())
        , m_stars(std::make_shared<const SubStars>(std::move(stars))) {}
    FoundStars(std::size_t size, std::shared_ptr<const StarShelf> shelf, const StarShelf::Place& place)
        : m_size(size)
        , m_shelf(std::move(shelf))
        , m_place(place) {}

    std::size_t size() const { return m_size; }
    SubStars list() const { return m_shelf ? m_shelf->starsAt(m_place) : m_stars ? *m_stars : SubStars(); }
    /// The same list, not one that is alike.
    bool sameAs(const FoundStars& other) const { return m_stars == other.m_stars && m_shelf == other.m_shelf && m_place == other.m_place; }

private:
    std::size_t m_size = 0;
    std::shared_ptr<const SubStars> m_stars;
    std::shared_ptr<const StarShelf> m_shelf;
    StarShelf::Place m_place;
};

} // namespace caelumen
