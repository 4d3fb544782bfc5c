#pragma once

/// What a figure, or every figure of a run, has to be read with: words of results files (docs/formats.md), never shown as they stand.
namespace caelumen::flag {

inline constexpr const char *upperLimit = "upper-limit",                        ///< not detected: the value is a limit
    *noiseLimited = "noise-limited",                                            ///< no more than noise would show
        *fewStars = "few-stars",                                                ///< rests on too few stars for its error to be sure
            *saturated = "saturated",                                           ///< the star's light is from its wings
                *unexplainedLight = "unexplained-light",                        ///< light about a star that no halo explains
                    *noSkyRegion = "no-sky-region",                             ///< the sky's level is from the model of the frame
                        *structureUnknown = "structure-unknown",                ///< what repeats between stacks could not be told from noise
                            *correlatedNoise = "correlated-noise",              ///< of a run: neighbouring pixels share noise
                                *pedestalUnknown = "pedestal-unknown",          ///< of a run: the absolute level is not known
                                    *assumedScale = "assumed-scale",            ///< of a run: nothing said how large a pixel is on the sky
                                        *headerConflict = "header-conflict",    ///< of a run: header and trial disagree
                                            *eightBit = "eight-bit",            ///< of a run: levels are coarse, or not linear
                                                *interpolated = "interpolated"; ///< of a run: colours were filled in between the sites of a mosaic

} // namespace caelumen::flag
