#include "app/palette/palette_shelf.h"

#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/base/json.h"

#include <QDir>
#include <QObject>
#include <QStandardPaths>

#include <algorithm>

namespace caelumen {
namespace {

QDir folder() {
    return QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/recipes");
}

std::filesystem::path fileOf(const std::string& name) {
    return toPath(folder().filePath(QString::fromStdString(name) + ".json"));
}

} // namespace

std::vector<Recipe> ownRecipes() {
    std::vector<Recipe> out;
    const QDir own = folder();
    for (const QString& file : own.entryList({"*.json"}, QDir::Files, QDir::Name)) {
        const auto text = readText(toPath(own.filePath(file)), 1U << 20U);
        auto idea = text ? recipeIdeaFromText(*text, file.toStdString()) : Result<Recipe>(text.error());
        if (!idea) continue;
        idea->name = QString(file).chopped(5).toStdString();
        out.push_back(std::move(*idea));
    }
    return out;
}

Status keepRecipe(const Recipe& idea) {
    if (!isPlainName(idea.name + ".json"))
        return Error{QObject::tr("\"%1\" cannot be the name of a file; choose a name without slashes that is not long.")
                         .arg(QString::fromStdString(idea.name))
                         .toStdString()};
    if (!folder().mkpath(".")) return Error{QObject::tr("The folder %1 for recipes cannot be made.").arg(folder().path()).toStdString()};
    return writeFile(fileOf(idea.name), jsonText(recipeIdeaToJson(idea), 1) + "\n");
}

Status forgetRecipe(const std::string& name) {
    std::error_code error;
    if (!std::filesystem::remove(fileOf(name), error))
        return Error{QObject::tr("The recipe %1 could not be removed.").arg(QString::fromStdString(name)).toStdString()};
    return Done{};
}

} // namespace caelumen
