#include "report/picture_sheet.h"

#include "core/base/file.h"
#include "core/base/text.h"
#include "core/model/results.h"

#include <QBuffer>
#include <QColorSpace>
#include <QImageWriter>
#include <QPainter>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <webp/encode.h>
#include <webp/mux.h>

namespace caelumen {
namespace {

const QColor kGround(28, 28, 28), kText(232, 232, 232), kDim(165, 165, 165);

/// Name and lines in a place, the marker before the name.
void writeLabel(QPainter& p, const LabelledPicture& picture, const QRectF& place, int size) {
    QFont font = p.font();
    font.setPixelSize(size);
    font.setBold(true);
    p.setFont(font);
    const double row = 1.35 * size;
    QRectF line(place.left(), place.top(), place.width(), row);
    if (picture.style) {
        p.save();
        p.setRenderHint(QPainter::Antialiasing);
        p.translate(place.left() + 0.5 * size, line.center().y());
        p.setPen(Qt::NoPen);
        p.setBrush(picture.style->colour);
        p.drawPath(picture.style->marker(0.42 * size));
        p.restore();
        line.setLeft(line.left() + 1.3 * size);
    }
    p.setPen(kText);
    p.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, QFontMetricsF(font).elidedText(picture.name, Qt::ElideRight, line.width()));
    font.setBold(false);
    font.setPixelSize(static_cast<int>(0.8 * size));
    p.setFont(font);
    p.setPen(kDim);
    double y = line.bottom();
    for (const QString& text : picture.lines) {
        const QRectF room(place.left(), y, place.width(), place.bottom() - y);
        QRectF used;
        p.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, text, &used);
        y += used.height();
    }
}

/// How high a label is.
double labelHeight(const LabelledPicture& picture, double width, int size) {
    QImage scratch(1, 1, QImage::Format_RGB32);
    QPainter p(&scratch);
    QFont font = p.font();
    font.setPixelSize(static_cast<int>(0.8 * size));
    const QFontMetricsF metrics(font);
    double height = 1.35 * size;
    for (const QString& text : picture.lines) height += metrics.boundingRect(QRectF(0, 0, width, 1e6), Qt::TextWordWrap, text).height();
    return height;
}

QImage withBar(const LabelledPicture& picture, QSize size, double bar, int font) {
    QImage out(size.width(), size.height() + static_cast<int>(std::ceil(bar)), QImage::Format_RGB32);
    out.fill(kGround);
    QPainter p(&out);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(QRectF(QPointF(0, 0), QSizeF(size)), picture.image);
    writeLabel(p, picture, QRectF(font, size.height() + 0.4 * font, size.width() - 2 * font, bar - 0.6 * font), font);
    return out;
}

struct EncoderDelete {
    void operator()(WebPAnimEncoder* e) const { WebPAnimEncoderDelete(e); }
};

} // namespace

std::string mapText(const Recipe& recipe) {
    std::string out;
    for (std::size_t c = 0; c < 3; ++c) {
        std::string sum;
        for (const auto& [id, part] : recipe.map[c]) sum += fmt::format("{}{:g} {}", sum.empty() ? "" : " + ", part, id);
        out += fmt::format("{}{} = {}", out.empty() ? "" : "; ", "RGB"[c], sum.empty() ? "nothing" : sum);
    }
    return out;
}

Status writeFlip(const std::filesystem::path& path, const std::vector<LabelledPicture>& pictures, int milliseconds, const Job& job) {
    const QSize size = pictures.front().image.size();
    const int font = std::clamp(size.width() / 60, 12, 30);
    double bar = 0;
    for (const LabelledPicture& p : pictures) bar = std::max(bar, labelHeight(p, size.width() - 2 * font, font) + 1.1 * font);
    WebPAnimEncoderOptions options;
    WebPConfig config;
    if (!WebPAnimEncoderOptionsInit(&options) || !WebPConfigInit(&config))
        return Error{fmt::format("{} could not be made: the WebP library is of another version.", shown(path))};
    options.anim_params.loop_count = 0; // for ever
    config.quality = 90;
    config.method = 4;
    const int height = size.height() + static_cast<int>(std::ceil(bar));
    const std::unique_ptr<WebPAnimEncoder, EncoderDelete> encoder(WebPAnimEncoderNew(size.width(), height, &options));
    if (!encoder) return Error{fmt::format("{} could not be made: {} by {} pixels are too many for WebP.", shown(path), size.width(), height)};
    int at = 0;
    for (const LabelledPicture& picture : pictures) {
        if (job.cancelled()) return Error{kCancelled};
        job.report(static_cast<double>(at) / milliseconds / static_cast<double>(pictures.size()), picture.name.toStdString());
        const QImage frame = withBar(picture, size, bar, font);
        WebPPicture raw;
        WebPPictureInit(&raw);
        raw.use_argb = 1, raw.width = frame.width(), raw.height = frame.height();
        const bool taken =
            WebPPictureImportBGRX(&raw, frame.constBits(), static_cast<int>(frame.bytesPerLine())) && WebPAnimEncoderAdd(encoder.get(), &raw, at, &config);
        WebPPictureFree(&raw);
        if (!taken) return Error{fmt::format("{} could not be made: {}.", shown(path), WebPAnimEncoderGetError(encoder.get()))};
        at += milliseconds;
    }
    WebPData data;
    WebPDataInit(&data);
    if (!WebPAnimEncoderAdd(encoder.get(), nullptr, at, nullptr) || !WebPAnimEncoderAssemble(encoder.get(), &data))
        return Error{fmt::format("{} could not be made: {}.", shown(path), WebPAnimEncoderGetError(encoder.get()))};
    const Status written = writeFile(path, {reinterpret_cast<const char*>(data.bytes), data.size});
    WebPDataClear(&data);
    return written;
}

QImage sheetOf(const std::vector<LabelledPicture>& pictures, const QString& title, const QString& foot) {
    constexpr int kWidth = 1920, kMargin = 32, kFont = 24;
    const int n = static_cast<int>(pictures.size()), columns = n <= 1 ? 1 : n <= 4 ? 2 : n <= 9 ? 3 : 4, rows = (n + columns - 1) / columns;
    const double width = (kWidth - kMargin * (columns + 1)) / static_cast<double>(columns);
    double tallest = 0, label = 0;
    for (const LabelledPicture& p : pictures) {
        tallest = std::max(tallest, width * p.image.height() / std::max(1, p.image.width()));
        label = std::max(label, labelHeight(p, width, kFont));
    }
    const double head = title.isEmpty() ? 0 : 2.2 * kFont, cell = tallest + label + 1.2 * kFont;
    LabelledPicture last{{}, {}, {foot}, {}};
    const double end = foot.isEmpty() ? 0 : labelHeight(last, kWidth - 2 * kMargin, kFont);
    QImage out(kWidth, static_cast<int>(kMargin + head + rows * cell + end + kMargin), QImage::Format_RGB32);
    out.fill(kGround);
    QPainter p(&out);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    QFont font = p.font();
    font.setPixelSize(static_cast<int>(1.4 * kFont));
    font.setBold(true);
    p.setFont(font);
    p.setPen(kText);
    p.drawText(QRectF(kMargin, kMargin, kWidth - 2 * kMargin, head), Qt::AlignLeft | Qt::AlignTop,
               QFontMetricsF(font).elidedText(title, Qt::ElideRight, kWidth - 2 * kMargin));
    for (int i = 0; i < n; ++i) {
        const LabelledPicture& one = pictures[static_cast<std::size_t>(i)];
        const QPointF at(kMargin + (i % columns) * (width + kMargin), kMargin + head + (i / columns) * cell);
        const double height = width * one.image.height() / std::max(1, one.image.width());
        p.drawImage(QRectF(at, QSizeF(width, height)), one.image);
        writeLabel(p, one, QRectF(at.x(), at.y() + height + 0.3 * kFont, width, label + 4), kFont);
    }
    if (!foot.isEmpty()) {
        font.setPixelSize(static_cast<int>(0.8 * kFont));
        font.setBold(false);
        p.setFont(font);
        p.setPen(kDim);
        p.drawText(QRectF(kMargin, kMargin + head + rows * cell, kWidth - 2 * kMargin, end + kMargin), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, foot);
    }
    return out;
}

Status writeSheet(const std::filesystem::path& path, const std::vector<LabelledPicture>& pictures, const QString& title, const QString& foot) {
    QImage sheet = sheetOf(pictures, title, foot);
    sheet.setColorSpace(QColorSpace::SRgb);
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QImageWriter writer(&buffer, "png");
    QStringList text{title, foot};
    for (const LabelledPicture& p : pictures) text << p.name << p.lines;
    writer.setText("Description", text.join('\n'));
    writer.setText("Software", QString::fromStdString(programName()));
    if (!writer.write(sheet)) return Error{fmt::format("{} could not be made ({}).", shown(path), writer.errorString().toStdString())};
    return writeFile(path, {buffer.data().constData(), static_cast<std::size_t>(buffer.data().size())});
}

} // namespace caelumen
