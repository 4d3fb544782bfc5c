#pragma once

#include <cstddef>
#include <mutex>
#include <vector>

namespace caelumen {

/// Pieces of something long, for several workers that carry something on from one piece to the next: each goes on with the piece after its last one until it
/// comes upon somebody else's, and then halves the longest stretch that is left, so that few begin anew and nobody waits for long.
class SharedPieces {
public:
    explicit SharedPieces(int count)
        : m_taken(static_cast<std::size_t>(count), 0) {}

    /// The next piece for whoever did `last` (-1: none yet); -1 when all are taken.
    int take(int last) {
        const std::scoped_lock lock(m_guard);
        const int next = last >= 0 && isFree(last + 1) ? last + 1 : middleOfLongest();
        if (next >= 0) m_taken[static_cast<std::size_t>(next)] = 1;
        return next;
    }

private:
    bool isFree(int i) const { return i < static_cast<int>(m_taken.size()) && !m_taken[static_cast<std::size_t>(i)]; }
    int middleOfLongest() const {
        int longest = 0, at = -1;
        for (int i = 0; i < static_cast<int>(m_taken.size()); ++i) {
            const int first = i;
            while (isFree(i)) ++i;
            if (i - first <= longest) continue;
            longest = i - first;
            at = first == 0 ? 0 : first + longest / 2; // before the first piece there is nobody
        }
        return at;
    }

    std::mutex m_guard;
    std::vector<char> m_taken;
};

} // namespace caelumen
