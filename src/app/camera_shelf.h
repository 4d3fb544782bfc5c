#pragma once

#include "core/optics/camera.h"

#include <QDir>

namespace caelumen {

/// Where a person's own cameras are kept, for all campaigns.
QDir ownCameraFolder();
/// The program's typical cameras, then a person's own (id "own:NAME"). A file that cannot be read is passed over.
std::vector<Camera> allCameras();
/// The camera of a rig; a typical colour camera where it names none that is known.
Camera cameraOf(const std::string& id);

} // namespace caelumen
