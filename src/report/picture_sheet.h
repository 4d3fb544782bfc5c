#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/palette/recipe.h"
#include "report/filter_style.h"

#include <QImage>
#include <QString>
#include <QStringList>

#include <filesystem>
#include <optional>

namespace caelumen {

/// A picture with what must never be parted from it.
struct LabelledPicture {
    QImage image;
    QString name;
    QStringList lines;                ///< conditions, time
    std::optional<FilterStyle> style; ///< the filter's marker beside its name
};

/// "R = 1 H; G = 0.8 O + 0.2 H; B = 1 O"
std::string mapText(const Recipe& recipe);

/// Pictures in turn as an animated WebP that repeats for ever, `milliseconds` each, names and conditions burnt in on a bar below. Pictures of other sizes are
/// brought to that of the first. An Error names the file.
Status writeFlip(const std::filesystem::path& path, const std::vector<LabelledPicture>& pictures, int milliseconds, const Job& job = {});

/// Pictures side by side under a title, as a PNG of 1920 pixels or more across.
QImage sheetOf(const std::vector<LabelledPicture>& pictures, const QString& title, const QString& foot);
Status writeSheet(const std::filesystem::path& path, const std::vector<LabelledPicture>& pictures, const QString& title, const QString& foot);

} // namespace caelumen
