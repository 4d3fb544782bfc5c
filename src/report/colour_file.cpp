#include "report/colour_file.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/image/tiff_writer.h"
#include "core/model/results.h"

#include <QBuffer>
#include <QColorSpace>
#include <QImageWriter>
#include <QPainter>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

std::string joined(const std::vector<std::string>& parts) {
    std::string out;
    for (const std::string& p : parts) out += (out.empty() ? "" : "; ") + p;
    return out;
}

/// 16-bit pixels as an image with room for a fourth value.
QImage imageOf(const ColourPicture& p, const std::vector<std::uint16_t>& pixels) {
    QImage image(p.width, p.height, QImage::Format_RGBX64);
    for (int y = 0; y < p.height; ++y) {
        auto* row = reinterpret_cast<std::uint16_t*>(image.scanLine(y));
        const std::uint16_t* from = pixels.data() + 3 * static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width);
        for (int x = 0; x < p.width; ++x, row += 4, from += 3) row[0] = from[0], row[1] = from[1], row[2] = from[2], row[3] = 65535;
    }
    return image;
}

/// What was done, in the lower left corner, small and on its own ground.
void sign(QImage& image, const Recipe& recipe, const ColourPicture& p) {
    QPainter painter(&image);
    QFont font = painter.font();
    font.setPixelSize(std::clamp(image.width() / 110, 9, 34));
    painter.setFont(font);
    QString text = QString::fromStdString((recipe.name.empty() ? std::string() : recipe.name + ": ") + joined(p.done) +
                                          (p.conditions.empty() ? std::string() : ". " + joined(p.conditions)));
    const QRectF room(0, 0, image.width() - 2 * font.pixelSize(), image.height());
    const QRectF box = painter.boundingRect(room, Qt::TextWordWrap, text);
    const QRectF place(font.pixelSize(), image.height() - box.height() - font.pixelSize(), room.width(), box.height());
    painter.fillRect(QRectF(0, place.top() - 0.4 * font.pixelSize(), image.width(), image.height()), QColor(0, 0, 0, 150));
    painter.setPen(QColor(225, 225, 225));
    painter.drawText(place, Qt::TextWordWrap, text);
}

} // namespace

std::string pictureText(const Recipe& recipe, const ColourPicture& picture, double factor) {
    return fmt::format("factor={:.9g}\n{}\ndone={}\nconditions={}\nrecipe={}\n", factor, programName(), joined(picture.done), joined(picture.conditions),
                       jsonText(recipeToJson(recipe)));
}

QImage shownImage(const ColourPicture& p, const Look& look) {
    QImage image(p.width, p.height, QImage::Format_RGB32);
    screenPixels(p, look, reinterpret_cast<std::uint32_t*>(image.bits()), static_cast<std::size_t>(image.bytesPerLine()) / sizeof(std::uint32_t));
    return image;
}

Status writeColourPicture(const std::filesystem::path& path, const Recipe& recipe, const ColourPicture& p, std::optional<Look> look, int dpi) {
    const std::string ending = endingOf(path);
    const bool png = ending == ".png";
    if (!png && ending != ".tif" && ending != ".tiff") return Error{fmt::format("{} must end in .tif or .png.", shown(path))};
    const QByteArray profile = QColorSpace(QColorSpace::SRgb).iccProfile();
    const std::span<const char> icc(profile.constData(), static_cast<std::size_t>(profile.size()));
    if (!recipe.stretched && !png) {
        std::vector<float> pixels(3 * p.planes[0].size());
        for (std::size_t i = 0; i < p.planes[0].size(); ++i)
            for (std::size_t c = 0; c < 3; ++c) {
                const float v = p.planes[c].data()[i];
                pixels[3 * i + c] = v == v ? v : 0;
            }
        return writeTiff(path, p.width, p.height, pixels, pictureText(recipe, p, 1), icc, dpi);
    }
    double factor = 1;
    QImage image;
    if (recipe.stretched) {
        image = imageOf(p, shownPixels(p, look ? *look : lookOf(p, recipe.light, recipe.depth)));
        sign(image, recipe, p);
    } else {
        float most = 0;
        for (const Plane& plane : p.planes)
            for (std::size_t i = 0; i < plane.size(); ++i)
                if (plane.data()[i] > most) most = plane.data()[i];
        factor = most > 0 ? 65535 / static_cast<double>(most) : 1;
        image = imageOf(p, linearPixels(p, factor));
    }
    const std::string text = pictureText(recipe, p, factor);
    if (!png) {
        std::vector<std::uint16_t> pixels(3 * p.planes[0].size());
        for (int y = 0; y < p.height; ++y) {
            const auto* row = reinterpret_cast<const std::uint16_t*>(image.constScanLine(y));
            for (int x = 0; x < p.width; ++x)
                for (int c = 0; c < 3; ++c)
                    pixels[3 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)) + static_cast<std::size_t>(c)] =
                        row[4 * x + c];
        }
        return writeTiff(path, p.width, p.height, std::span<const std::uint16_t>(pixels), text, icc, dpi);
    }
    image.setColorSpace(QColorSpace::SRgb);
    if (dpi > 0) image.setDotsPerMeterX(qRound(dpi / 0.0254)), image.setDotsPerMeterY(qRound(dpi / 0.0254));
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QImageWriter writer(&buffer, "png");
    writer.setText("Description", QString::fromStdString(text));
    writer.setText("Recipe", QString::fromStdString(jsonText(recipeToJson(recipe))));
    writer.setText("Software", QString::fromStdString(programName()));
    if (!writer.write(image)) return Error{fmt::format("{} could not be made ({}).", shown(path), writer.errorString().toStdString())};
    return writeFile(path, {buffer.data().constData(), static_cast<std::size_t>(buffer.data().size())});
}

} // namespace caelumen
