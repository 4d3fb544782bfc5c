#include "report/report_frames.h"

#include "core/base/phrase.h"
#include "core/compare/run_facts.h"

#include <QFont>
#include <QPainter>

#include <cmath>

namespace caelumen {
namespace {

void drawRegions(QPainter& painter, const Trial& trial, double zoom) {
    painter.setRenderHint(QPainter::Antialiasing);
    QFont font = painter.font();
    font.setPixelSize(11);
    painter.setFont(font);
    for (const Region& r : trial.regions) {
        const QPen pen(QColor(255, 255, 255, 210), 1.3,
                       r.role == RegionRole::Sky        ? Qt::DashLine
                       : r.role == RegionRole::HaloStar ? Qt::DotLine
                                                        : Qt::SolidLine);
        painter.setPen(pen);
        painter.setBrush(Qt::NoBrush);
        const auto at = [&](Point p) { return QPointF((p.x + 0.5) * zoom, (p.y + 0.5) * zoom); };
        const Region::Bounds b = r.bounds();
        QPointF tag = at({b.max.x, b.min.y});
        if (r.shape == RegionShape::Circle)
            painter.drawEllipse(at(r.points[0]), r.radius * zoom, r.radius * zoom);
        else if (r.shape == RegionShape::Rect)
            painter.drawRect(QRectF(at(b.min), at(b.max)));
        else if (r.shape == RegionShape::Polygon) {
            QPolygonF polygon;
            for (const Point& p : r.points) polygon << at(p);
            painter.drawPolygon(polygon);
        } else {
            painter.drawEllipse(at(r.points[0]), 13, 13);
            tag = at(r.points[0]) + QPointF(10, -10);
        }
        painter.drawText(tag + QPointF(3, 0), QString::fromStdString(r.id));
    }
}

} // namespace

ReportFrames ReportFrames::load(const Trial& trial, const TrialResults& results, const std::filesystem::path& folder, const Job& job) {
    ReportFrames out;
    out.m_trial = &trial;
    out.m_frames.resize(trial.runs.size());
    std::vector<Seen> shown;
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        if (job.cancelled()) return {};
        job.report(0.8 * static_cast<double>(i) / static_cast<double>(trial.runs.size()), phrase("Drawing run {}", trial.runs[i].id));
        const auto open = openRun(trial, trial.runs[i], folder);
        if (!open) continue;
        auto pyramid = PicturePyramid::load(*open, {});
        if (!pyramid) continue;
        Frame& f = out.m_frames[i];
        f.pyramid = std::make_shared<const PicturePyramid>(std::move(*pyramid));
        for (const RunAlignment& a : results.alignment)
            if (a.run == trial.runs[i].id) f.alignment = a.alignment;
        shown.push_back({f.pyramid.get()});
        if (trial.runs[i].id == results.baseline) {
            out.m_baseline = f.pyramid.get();
            out.m_size = QSize(open->conditions.width, open->conditions.height);
        }
    }
    if (out.m_baseline) out.m_stretch = sharedStretch(shown, {out.m_baseline});
    return out;
}

QImage ReportFrames::rendered(std::size_t run, const ViewPlace& place) const {
    QImage image(place.width, place.height, QImage::Format_RGB32);
    renderView({{m_frames[run].pyramid.get()}, m_frames[run].alignment}, place, m_stretch, PictureTint::Natural, reinterpret_cast<std::uint32_t*>(image.bits()),
               static_cast<std::size_t>(image.bytesPerLine()) / 4);
    return image;
}

QImage ReportFrames::whole(std::size_t run, int width, bool regions) const {
    const double step = static_cast<double>(m_size.width()) / width;
    QImage image = rendered(run, {width, static_cast<int>(std::lround(m_size.height() / step)), 0.5 * step - 0.5, 0.5 * step - 0.5, step});
    if (regions) {
        QPainter painter(&image);
        drawRegions(painter, *m_trial, static_cast<double>(width) / m_size.width());
    }
    return image;
}

QImage ReportFrames::crop(std::size_t run, Point middle, int side) const {
    const double per = m_frames[run].pyramid->pitch(); // stored pixels of a picture's pixel
    return rendered(run, {side, side, middle.x + per * (0.5 - 0.5 * side), middle.y + per * (0.5 - 0.5 * side), per});
}

} // namespace caelumen
