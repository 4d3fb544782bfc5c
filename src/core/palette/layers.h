#pragma once

#include "core/base/job.h"
#include "core/image/plane.h"
#include "core/palette/recipe.h"
#include "core/stars/alignment.h"

#include <memory>

namespace caelumen {

/// One input on the picture's grid.
struct PaletteLayer {
    std::string id;
    Plane rate;                ///< e-/s per pixel; NaN where there is none
    Plane apart;               ///< what its stack's odd and even subs differ by, as noisy as itself; empty: not asked for, or not known
    double noise = 0, sky = 0; ///< of a pixel
    Alignment alignment;       ///< from the picture's grid
    double total_s = 0;
    std::string what; ///< "a.fits, R": for the picture's list of what was done
};

/// Reads inputs in electrons per second, splits lines, and lays everything on the first input's grid. Stacks that are named twice are read and aligned once.
class LayerReader {
public:
    /// `halves`: also what the stacks' odd and even subs differ by.
    LayerReader(std::filesystem::path folder, const Job& job, bool halves = false)
        : m_folder(std::move(folder))
        , m_job(job)
        , m_halves(halves) {}

    /// The first one read gives the grid. An Error names the file.
    Result<PaletteLayer> read(const std::string& id, const PaletteInput& input);
    /// Its three channels, for stars.
    Result<std::array<PaletteLayer, 3>> readColour(const PaletteInput& input);
    int width() const { return m_width; }
    int height() const { return m_height; }
    /// Of each stack that was read, as its file tells them; what should be known of them.
    const std::vector<std::string>& conditions() const { return m_conditions; }
    const std::vector<std::string>& notes() const { return m_notes; }

private:
    struct Stack {
        std::vector<std::string> channels;
        std::vector<Plane> planes; ///< e-/s per pixel
        std::vector<Plane> apart;  ///< of the halves; as many, or none
        std::vector<double> noise;
        Alignment alignment; ///< from the grid to this stack's planes
        double total_s = 0;
        std::string name;
    };
    Result<std::shared_ptr<const Stack>> stack(const PaletteInput& input);
    Status place(Stack& stack);
    Result<PaletteLayer> readOne(const std::string& id, const PaletteInput& input);
    void add(PaletteLayer& to, PaletteLayer&& other);
    Plane onGrid(const Plane& plane, const Alignment& alignment) const;

    std::filesystem::path m_folder;
    const Job& m_job;
    bool m_halves = false;
    std::vector<std::string> m_conditions, m_notes;
    std::map<std::string, std::shared_ptr<const Stack>> m_stacks;
    std::vector<AlignStar> m_stars; ///< of the grid
    int m_width = 0, m_height = 0;
    bool m_first = true;
};

} // namespace caelumen
