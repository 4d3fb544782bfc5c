#pragma once

#include "core/base/result.h"
#include "core/optics/camera.h"

namespace caelumen {

/// A camera of one's own out of its JSON (docs/formats.md), and back. Its id is made of its name. Curves are efficiencies with the window in place.
Result<Camera> cameraFromText(const std::string& text, const std::string& name);
std::string cameraToText(const Camera& camera);

} // namespace caelumen
