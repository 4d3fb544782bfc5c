#pragma once

#include "core/palette/compose.h"

#include <memory>

namespace caelumen {

/// Reads inputs in electrons per second, splits lines, and lays everything on the first input's grid. Stacks that are named twice are read and aligned once.
class LayerReader {
public:
    LayerReader(std::filesystem::path folder, const Job& job)
        : m_folder(std::move(folder))
        , m_job(job) {}

    /// The first one read gives the grid. An Error names the file.
    Result<PaletteLayer> read(const std::string& id, const PaletteInput& input);
    /// Its three channels, for stars.
    Result<std::array<PaletteLayer, 3>> readColour(const PaletteInput& input);
    int width() const { return m_width; }
    int height() const { return m_height; }

private:
    struct Stack {
        std::vector<std::string> channels;
        std::vector<Plane> planes; ///< e-/s per pixel
        std::vector<double> noise;
        Alignment alignment; ///< from the grid to this stack's planes
        double total_s = 0;
        std::string name;
    };
    Result<std::shared_ptr<const Stack>> stack(const PaletteInput& input);
    Plane onGrid(const Plane& plane, const Alignment& alignment) const;

    std::filesystem::path m_folder;
    const Job& m_job;
    std::map<std::string, std::shared_ptr<const Stack>> m_stacks;
    std::vector<AlignStar> m_stars; ///< of the grid
    int m_width = 0, m_height = 0;
    bool m_first = true;
};

} // namespace caelumen
