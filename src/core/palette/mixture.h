#pragma once

#include "core/palette/look.h"
#include "core/palette/recipe.h"

#include <functional>

namespace caelumen {

/// One light on the picture's grid. All planes are of one size; NaN where there is none.
struct MixLayer {
    std::string id;
    Plane rate;                ///< e-/s per pixel, as the recipe's background and stars want it
    Plane apart;               ///< noise as strong as its own, to show it as from less time; empty: not asked for
    Plane foretold;            ///< what is likely to be beneath its noise, to show it as from more time; empty: not asked for
    double noise = 0, sky = 0; ///< of a pixel of `rate`
    double signal = 0;         ///< what of its nebula stands above its sky: the brightest hundredth of star-free cells; 0: not asked for, or none
    double factor = 1;         ///< that the recipe's scale asks for
    double starLight = 0;      ///< median of its stars' light in that of the same stars in `Mixture::stars`, else in the first layer; 0: not known
    double total_s = 0;
    std::string what; ///< "a.fits, R"
};

/// Everything that is read, found, fitted and aligned for a picture, so that what is left is sums: matrix, balance, shares and time can follow a slider.
struct Mixture {
    int width = 0, height = 0;
    std::vector<MixLayer> layers;    ///< the first gives grid and time
    std::vector<double> correlation; ///< of the layers' noises, n x n: lines that were split from one stack share it
    std::optional<MixLayer> detail;
    std::array<Plane, 3> stars; ///< starlight to be put in, e-/s of its own stack; empty: none
    std::string starsWhat;
    double starsNoise = 0;
    Plane starWeight;        ///< 0 to 1: what of a pixel belongs to a star; empty: not asked for
    bool realHalves = false; ///< `apart` is what the stacks' odd and even subs differ by, not made up
    std::vector<std::string> done, conditions, notes;

    /// Its planes, those that are there.
    std::vector<Plane*> planes();
    std::vector<const Plane*> planes() const;
    /// Signal over noise of its brightest nebula in an hour, of the layer that shows it best; 0: none is seen.
    double depthPerHour() const;
};

/// The sums: matrix, balance of the stars' colours, time, desaturation, detail, stars, as `recipe` says; its inputs are not looked at. 8 ms for a megapixel of
/// two layers on two cores.
ColourPicture mix(const Mixture& mixture, const Recipe& recipe);
/// The same at once as a screen shows it: 0xffRRGGBB with `stride` words between rows.
void mixOnScreen(const Mixture& mixture, const Recipe& recipe, const LookTable& look, std::uint32_t* to, std::size_t stride);
/// The same without its pixels: noise and sky of the channels.
ColourPicture mixedLevels(const Mixture& mixture, const Recipe& recipe);

/// The same with each plane that is there made anew by `each`.
Mixture withPlanes(const Mixture& mixture, const std::function<Plane(const Plane&)>& each);

/// Means of factor x factor pixels; what is left at the right and lower edge falls away. Noise is measured anew.
Mixture smaller(const Mixture& mixture, int factor);

/// Noise and sky of its layers, and how their noises go together.
void takeLevels(Mixture& mixture);

} // namespace caelumen
