#pragma once

#include "core/prepare/combine.h"
#include "core/prepare/sub_measurer.h"
#include "core/prepare/verdict.h"

#include <string>
#include <vector>

namespace caelumen {

/// A sub's sky on the stack's grid, as a plane: what is made alike before values are compared.
struct SkyPlane {
    double middle = 0, x = 0, y = 0; ///< ADU at the stack's centre, and by pixel
};

/// One channel of a stack.
struct StackChannel {
    std::string name;
    PlaneGeometry output;              ///< stack pixel to the reference's stored pixel
    std::vector<std::size_t> lattices; ///< of StackPlan::lattices; their mean
    std::vector<SkyPlane> offset;      ///< by kept sub: taken away from its values
    std::vector<double> scale;         ///< by kept sub
    double dropReach = 0;              ///< of a mosaic at full size that is drizzled, see core/prepare/drizzle.h; 0: interpolated
    NoiseModel model;
    std::vector<double> weights; ///< by kept sub; empty: equal
    std::vector<double> spread;  ///< by kept sub, see StarImages; empty: star images are alike or not known
};

/// One kept sub.
struct StackInput {
    const JudgedSub* sub;
    SubPixels pixels;
    std::vector<std::vector<Alignment::Affine>> to; ///< by channel and its lattice: stack pixel to lattice pixel
};

/// What a stack is made of, before any pixel is read.
struct StackPlan {
    int width = 0, height = 0;
    bool together = true; ///< both greens of a mosaic as one lattice
    int latticeWidth = 0, latticeHeight = 0;
    std::vector<Lattice> lattices;
    std::vector<StackChannel> channels;
    std::vector<StackInput> inputs;
};

/// Errors: no sub is kept, a sub cannot be opened.
Result<StackPlan> planStack(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run);

} // namespace caelumen
