#pragma once

namespace caelumen {

/// Tables of common facts, one object a line; read by targets.cpp.
extern const char* const kDeepSky;
extern const char* const kBrightStars;

} // namespace caelumen
