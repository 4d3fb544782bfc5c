#include "report/slides.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/compare/sentences.h"
#include "report/svg_plots.h"
#include "report/verdict_picture.h"

#include <QBuffer>
#include <QPainter>
#include <QSvgRenderer>
#include <fmt/format.h>

namespace caelumen {
namespace {

QByteArray drawing(const std::string& svg) {
    QByteArray out = QByteArray::fromStdString(svg);
    if (!out.contains("xmlns")) out.replace("<svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"");
    return out;
}

/// Letters of an id that may name a file anywhere.
std::string plain(const std::string& id) {
    std::string out;
    for (const char c : id) out += (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ? c : '-';
    return out;
}

std::string labelOf(const Score& score) {
    return wordOf(std::string(score.label).c_str());
}

} // namespace

std::string pngOf(const QImage& image) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    image.save(&buffer, "PNG");
    return bytes.toStdString();
}

std::vector<ReportFigure> reportFigures(const Trial& trial, const TrialResults& r, const ReportExtras& extras) {
    std::vector<ReportFigure> out;
    const auto add = [&](const std::string& id, const std::string& title, const std::string& svg) {
        if (!svg.empty()) out.push_back({plain(id), QString::fromStdString(title), drawing(svg), {}});
    };
    if (extras.verdict && extras.profile) {
        const std::string& name = extras.profile->name;
        add("ranking", name.empty() ? wordOf("Ranking") : phrase("Ranking: {}", name), svgRanking(trial, *extras.verdict, *extras.profile));
        add("pay-off", wordOf("Price of an hour saved"), svgPayoff(trial, *extras.verdict));
    }
    for (const Score& score : scores()) {
        if (score.id == "nebula") {
            for (const Region& region : trial.regions)
                if (region.role == RegionRole::Nebula)
                    add("nebula-" + region.id, phrase("{} {}: time ratio", labelOf(score), region.id), svgScore(trial, r, score, region.id));
            continue;
        }
        add(std::string(score.id), labelOf(score), svgScore(trial, r, score, ""));
        if (score.id == "halo")
            for (const Region& region : trial.regions)
                if (region.role == RegionRole::HaloStar) add("halo-" + region.id, phrase("Light around {}", region.id), svgHaloExcess(trial, r, region.id));
        if (score.id == "colour") add("star-colours", wordOf("Star colours"), svgColours(trial, r, "B-R"));
    }
    int n = 0;
    for (const LabelledPicture& p : extras.palettes) out.push_back({fmt::format("colour-{}", ++n), p.name, {}, p.image});
    return out;
}

QString conditionsLine(const Trial& trial, const TrialResults& r) {
    QStringList parts;
    for (const std::string& part : {trial.target.name, trial.site.name})
        if (!part.empty()) parts << QString::fromStdString(part);
    if (const RunConditions* c = r.conditionsOf(r.baseline)) parts << QString::fromStdString(conditionsSentence(trial, *c));
    parts << QString::fromStdString(programName());
    return parts.join(" \u00B7 ");
}

QImage slideOf(const ReportFigure& figure, QSize size, const QString& conditions) {
    QImage out(size, QImage::Format_RGB32);
    out.fill(Qt::white);
    QPainter p(&out);
    p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    const double unit = size.height() / 1080.0, margin = 60 * unit;
    QFont font = p.font();
    font.setPixelSize(static_cast<int>(44 * unit));
    font.setBold(true);
    p.setFont(font);
    p.setPen(QColor(34, 34, 34));
    p.drawText(QRectF(margin, 0.6 * margin, size.width() - 2 * margin, 66 * unit), Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetricsF(font).elidedText(figure.title, Qt::ElideRight, size.width() - 2 * margin));
    const QRectF room(margin, 130 * unit, size.width() - 2 * margin, size.height() - 240 * unit);
    if (!figure.image.isNull()) {
        const QSizeF shown = QSizeF(figure.image.size()).scaled(room.size(), Qt::KeepAspectRatio);
        p.drawImage(QRectF(room.center() - QPointF(shown.width() / 2, shown.height() / 2), shown), figure.image);
    } else {
        QSvgRenderer renderer(figure.svg);
        const QSizeF natural = renderer.viewBoxF().isEmpty() ? QSizeF(renderer.defaultSize()) : renderer.viewBoxF().size();
        const QSizeF shown = natural.scaled(room.size(), Qt::KeepAspectRatio);
        renderer.render(&p, QRectF(room.center() - QPointF(shown.width() / 2, shown.height() / 2), shown));
    }
    font.setBold(false);
    font.setPixelSize(static_cast<int>(24 * unit));
    p.setFont(font);
    p.setPen(QColor(90, 90, 90));
    p.drawText(QRectF(margin, size.height() - 92 * unit, size.width() - 2 * margin, 70 * unit), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap,
               conditions);
    return out;
}

Result<std::vector<std::string>> writeSlides(const std::filesystem::path& folder, const std::vector<ReportFigure>& figures, QSize size,
                                             const QString& conditions) {
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error) return Error{phrase("{} cannot be made; choose another folder.", shown(folder))};
    std::vector<std::string> names;
    for (const ReportFigure& f : figures) {
        names.push_back(fmt::format("{}-{}.png", f.id, size.width()));
        if (const Status written = writeFile(folder / names.back(), pngOf(slideOf(f, size, conditions))); !written) return written.error();
    }
    return names;
}

} // namespace caelumen
