#include "app/night/night_drawing.h"

#include "app/night/night_model.h"
#include "app/widgets/theme.h"
#include "core/plan/star_series.h"
#include "report/filter_style.h"
#include "report/local_number.h"

#include <QCoreApplication>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kLeft = 46, kRight = 14, kTop = 24, kBottom = 36, kBlocks = 44, kGap = 8;

/// A filter's style is that of its run; in a plan without runs that of its place in the plan.
FilterStyle styleOf(const NightModel& model, const std::string& filter, bool red) {
    return filterStyleOf(model.trial(), filter, model.plan().filters, red);
}

QColor mixed(const QColor& a, const QColor& b, double t) {
    const auto part = [t](int x, int y) { return static_cast<int>(std::lround(x + t * (y - x))); };
    return {part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue())};
}

/// The night on a page or a screen, part by part.
class NightDrawing {
public:
    NightDrawing(QPainter& painter, const NightModel& night, const NightLayout& layout, const Theme& theme, int chosenBlock)
        : p(painter)
        , model(night)
        , track(night.track())
        , samples(night.track().samples())
        , skies(night.skies())
        , l(layout)
        , t(theme)
        , chosen(chosenBlock) {}

    void all() const {
        darkness();
        altitudes();
        curves();
        virtualSky();
        names();
        hours();
        blocks();
        starBlocks();
        foretold();
    }

private:
    static QString tr(const char* text) { return QCoreApplication::translate("caelumen::NightChart", text); }
    double x(double s) const { return l.x(s); }
    double y(double alt) const { return l.sky.bottom() - std::clamp(alt, 0.0, 90.0) / 90 * l.sky.height(); }

    /// How dark it is: from the room's panel by day to the plot's ground at night.
    void darkness() const {
        const QColor day = t.isRed() ? t.raised : mixed(t.raised, t.text, 0.18), night = mixed(t.plot, Qt::black, t.kind == ThemeKind::Light ? 0.0 : 0.35);
        const QRectF whole(l.sky.left(), l.sky.top(), l.sky.width(), l.rates.bottom() - l.sky.top());
        p.fillRect(whole, day);
        for (const auto& [alt, depth] : {std::pair{-0.833, 0.35}, {-6.0, 0.6}, {-12.0, 0.8}, {-18.0, 1.0}})
            if (const auto span = track.sunBelow(alt))
                p.fillRect(whole.intersected(QRectF(QPointF(x(span->from), whole.top()), QPointF(x(span->to), whole.bottom()))), mixed(day, night, depth));
    }
    /// The scale of the upper part.
    void altitudes() const {
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        for (const int alt : {30, 60}) p.drawLine(QPointF(l.sky.left(), y(alt)), QPointF(l.sky.right(), y(alt)));
        p.setPen(t.dim);
        for (const int alt : {0, 30, 60, 90})
            p.drawText(QRectF(l.sky.left() - kLeft, y(alt) - 8, kLeft - 6, 16), Qt::AlignRight | Qt::AlignVCenter, QString::fromUtf8("%1\u00B0").arg(alt));
    }
    /// The horizon in the direction of the target, from the ground up; moon, target, the lowest altitude, the meridian.
    void curves() const {
        p.save();
        p.setClipRect(l.sky);
        QPainterPath ground(QPointF(l.sky.left(), l.sky.bottom())), target, moon;
        bool targetOn = false, moonOn = false;
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const double s = NightTrack::kStep * static_cast<double>(i);
            const SkyMoment& m = samples[i];
            ground.lineTo(x(s), y(horizonAt(model.trial().site.horizon, m.target->az_deg)));
            const QPointF at(x(s), y(m.target->alt_deg)), moonAt(x(s), y(m.moon.alt_deg));
            if (m.target->alt_deg > 0) targetOn ? target.lineTo(at) : target.moveTo(at);
            targetOn = m.target->alt_deg > 0;
            if (m.moon.alt_deg > 0) moonOn ? moon.lineTo(moonAt) : moon.moveTo(moonAt);
            moonOn = m.moon.alt_deg > 0;
        }
        ground.lineTo(l.sky.right(), l.sky.bottom());
        p.setPen(QPen(t.dim, 1));
        p.setBrush(QBrush(t.raised, Qt::Dense3Pattern));
        p.drawPath(ground);
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.warn, 1.4, Qt::DashLine));
        p.drawPath(moon);
        p.setPen(QPen(t.accent, 2.2));
        p.drawPath(target);
        p.setPen(QPen(t.accent, 1, Qt::DashDotLine));
        p.drawLine(QPointF(l.sky.left(), y(model.plan().lowest_deg)), QPointF(l.sky.right(), y(model.plan().lowest_deg)));
        if (const auto transit = track.transit()) {
            p.setPen(QPen(t.text, 1, Qt::DotLine));
            p.drawLine(QPointF(x(*transit), l.sky.top()), QPointF(x(*transit), l.sky.bottom()));
            p.setPen(t.dim);
            p.drawText(QPointF(x(*transit) + 4, l.sky.top() + 13), tr("meridian"));
        }
        p.restore();
    }
    /// Clouds as a veil from above, meter readings as dots on a scale of their own.
    void virtualSky() const {
        const VirtualSky* sky = model.virtualSky();
        if (!sky) return;
        for (double s = l.from; s < l.to; s += 300) {
            QColor veil = t.text;
            veil.setAlphaF(static_cast<float>(0.45 * sky->clouds(s)));
            p.fillRect(QRectF(x(s), l.sky.top(), x(s + 300) - x(s) + 0.5, 0.3 * l.sky.height()).intersected(l.sky), veil);
        }
        const auto ym = [&](double mag) { return l.sky.bottom() - std::clamp((22.5 - mag) / 7, 0.02, 0.98) * l.sky.height(); };
        int n = 0;
        for (double s = 3600 * std::ceil(l.from / 3600); s < l.to; s += 900, ++n) {
            const auto reading = sky->meter(s);
            if (!reading) continue;
            p.setPen(Qt::NoPen);
            p.setBrush(t.text);
            p.drawEllipse(QPointF(x(s), ym(*reading)), 1.8, 1.8);
            p.setPen(t.dim);
            if (n % 8 == 0) p.drawText(QRectF(x(s) - 24, ym(*reading) - 19, 48, 14), Qt::AlignHCenter, localNumber(*reading, 'f', 2));
        }
        p.setBrush(Qt::NoBrush);
        p.drawText(QPointF(l.sky.left() + 6, l.sky.top() + 31), tr("virtual meter (dots, mag/arcsec\u00B2) and clouds (veil)"));
    }
    /// At the curves' highest visible points.
    void names() const {
        QRectF taken;
        const auto label = [&](const QString& text, const QColor& colour, auto altitude) {
            double best = -1, when = 0;
            for (double s = l.from + 1200; s < l.to - 1200; s += NightTrack::kStep)
                if (const double a = altitude(track.at(s)); a > best) best = a, when = s;
            if (best <= 2) return;
            p.setPen(colour);
            const double width = p.fontMetrics().horizontalAdvance(text);
            const double at = std::clamp(x(when) + 6, l.sky.left() + 4, l.sky.right() - width - 4);
            QRectF box(at, std::max(l.sky.top() + 15, y(best) - 18), width, 16);
            if (box.adjusted(-4, -1, 4, 1).intersects(taken)) box.moveTop(taken.bottom() + 3);
            taken = box;
            p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, text);
        };
        label(QString::fromStdString(model.target().id), t.accent, [](const SkyMoment& m) { return m.target->alt_deg; });
        label(tr("moon, %1 % lit").arg(localNumber(100 * track.at(NightTrack::kLength / 2).moonIlluminated, 'f', 0)), t.warn,
              [](const SkyMoment& m) { return m.moon.alt_deg; });
    }
    /// The place's clock above, UTC below.
    void hours() const {
        p.setPen(t.dim);
        const QDateTime first = model.timeAt(l.from);
        const int offset = first.offsetFromUtc();
        double hour =
            3600 * std::ceil((static_cast<double>(first.toSecsSinceEpoch()) + offset) / 3600) - offset - static_cast<double>(first.toSecsSinceEpoch()) + l.from;
        const int every = l.sky.width() / ((l.to - l.from) / 3600) < 46 ? 2 : 1;
        for (int k = 0; hour < l.to; hour += 3600, ++k) {
            if (k % every) continue;
            const QDateTime local = model.timeAt(hour);
            p.setPen(QPen(t.line, 1));
            p.drawLine(QPointF(x(hour), l.sky.bottom()), QPointF(x(hour), l.sky.bottom() - 4));
            p.drawLine(QPointF(x(hour), l.rates.bottom()), QPointF(x(hour), l.rates.bottom() - 4));
            p.setPen(t.dim);
            p.drawText(QRectF(x(hour) - 30, l.sky.top() - kTop, 60, kTop - 4), Qt::AlignHCenter | Qt::AlignBottom, local.toString("HH:mm"));
            p.drawText(QRectF(x(hour) - 30, l.rates.bottom() + 3, 60, 15), Qt::AlignHCenter, local.toUTC().toString("HH:mm"));
        }
        p.drawText(QRectF(l.sky.left(), l.rates.bottom() + 18, l.sky.width(), 16), Qt::AlignHCenter,
                   tr("above: %1 (%2) \u00B7 below: UTC").arg(QString::fromUtf8(model.zone().id()), first.timeZoneAbbreviation()));
    }
    void blocks() const {
        const Plan& plan = model.plan();
        p.setPen(t.dim);
        p.drawText(QRectF(l.blocks.left() - kLeft, l.blocks.top(), kLeft - 6, l.blocks.height()), Qt::AlignRight | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(tr("blocks"), Qt::ElideRight, static_cast<int>(kLeft) - 6));
        p.fillRect(l.blocks, mixed(t.plot, t.raised, 0.5));
        for (std::size_t i = 0; i < plan.blocks.size(); ++i) {
            const PlanBlock& b = plan.blocks[i];
            const FilterStyle style = styleOf(model, b.filter, t.isRed());
            QRectF r(x(b.start_s), l.blocks.top() + 3, std::max(3.0, x(blockEnd(plan, b)) - x(b.start_s) - 1), l.blocks.height() - 6);
            r = r.intersected(l.blocks);
            QColor fill = style.colour;
            fill.setAlpha(static_cast<int>(i) == chosen ? 230 : 150);
            p.setPen(static_cast<int>(i) == chosen ? QPen(t.text, 1.5) : QPen(style.colour, 1));
            p.setBrush(fill);
            p.drawRoundedRect(r, 3, 3);
            if (r.width() > 12) {
                p.save();
                p.translate(r.center().x(), r.top() + 13);
                p.setPen(Qt::NoPen);
                p.setBrush(t.text);
                p.drawPath(style.marker(5));
                p.restore();
                p.setPen(t.text);
                if (r.width() > 48)
                    p.drawText(r.adjusted(0, 18, 0, 0), Qt::AlignHCenter | Qt::AlignVCenter, QString::fromUtf8("%1\u00D7%2").arg(b.subs).arg(b.exposure_s));
            }
        }
    }
    void starBlocks() const {
        for (const StarBlock& series : starSeries(model.plan(), model.track())) {
            const PlanBlock& b = series.block;
            QRectF r(x(b.start_s), l.blocks.top() + 10, std::max(3.0, x(blockEnd(model.plan(), b)) - x(b.start_s)), l.blocks.height() - 20);
            r = r.intersected(l.blocks);
            p.setPen(QPen(t.warn, 1));
            p.setBrush(QBrush(styleOf(model, b.filter, t.isRed()).colour, Qt::BDiagPattern));
            p.drawRect(r);
        }
        p.setBrush(Qt::NoBrush);
    }
    /// The foretold sky, on a logarithmic scale.
    void foretold() const {
        p.setPen(QPen(t.line, 1));
        p.drawRect(l.rates);
        if (skies.empty()) {
            p.setPen(t.dim);
            p.drawText(l.rates, Qt::AlignCenter | Qt::TextWordWrap,
                       tr("The sky of each filter is foretold when the place has a sky class or meter reading and the filters have curves."));
            return;
        }
        double low = 1e9, high = 0;
        for (const auto& [id, rates] : skies)
            for (std::size_t i = 0; i < rates.size(); ++i)
                if (samples[i].sun.alt_deg < -12 && rates[i] > 0) low = std::min(low, rates[i]), high = std::max(high, rates[i]);
        if (high <= 0) {
            p.setPen(t.dim);
            p.drawText(l.rates.adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap,
                       tr("No sky is foretold: the sun stays above \u221212\u00B0 or the target below the horizon."));
            return;
        }
        foretoldCurves(std::floor(std::log10(low * 0.8)), std::ceil(std::log10(high * 1.1)));
    }
    /// From and to powers of ten.
    void foretoldCurves(double from, double most) const {
        const double to = std::max(from + 1, most);
        const auto yr = [&](double rate) { return l.rates.bottom() - (std::log10(rate) - from) / (to - from) * l.rates.height(); };
        p.setPen(t.dim);
        for (double e = from; e <= to; ++e)
            p.drawText(QRectF(l.rates.left() - kLeft, yr(std::pow(10, e)) - 8, kLeft - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                       QString::number(std::pow(10, e)));
        p.drawText(QRectF(l.rates.left() + 6, l.rates.top() + 2, l.rates.width(), 16), Qt::AlignLeft, tr("sky foretold, e\u207B/s/px, brightest channel"));
        p.save();
        p.setClipRect(l.rates);
        for (const auto& [id, rates] : skies) {
            QPainterPath path;
            bool on = false;
            for (std::size_t i = 0; i < rates.size(); ++i) {
                const bool dark = samples[i].sun.alt_deg < -12 && rates[i] > 0; // twilight is not foretold
                const QPointF at(x(NightTrack::kStep * static_cast<double>(i)), dark ? yr(rates[i]) : 0);
                if (dark) on ? path.lineTo(at) : path.moveTo(at);
                on = dark;
            }
            const FilterStyle style = styleOf(model, id, t.isRed());
            p.setPen(QPen(style.colour, 1.8));
            p.drawPath(path);
            if (!path.isEmpty()) {
                p.save();
                p.translate(path.elementAt(path.elementCount() / 2).x, path.elementAt(path.elementCount() / 2).y);
                p.setPen(Qt::NoPen);
                p.setBrush(style.colour);
                p.drawPath(style.marker(5));
                p.restore();
            }
        }
        p.restore();
    }

    QPainter& p;
    const NightModel& model;
    const NightTrack& track;
    const std::vector<SkyMoment>& samples;
    const std::vector<std::pair<std::string, std::vector<double>>>& skies;
    const NightLayout& l;
    const Theme& t;
    int chosen;
};

} // namespace

NightLayout nightLayout(const NightModel& model, const QRectF& where) {
    NightLayout l;
    const QRectF inside = where.adjusted(kLeft, kTop, -kRight, -kBottom);
    const double rates = std::clamp(0.30 * inside.height(), 60.0, 190.0);
    l.rates = QRectF(inside.left(), inside.bottom() - rates, inside.width(), rates);
    l.blocks = QRectF(inside.left(), l.rates.top() - kGap - kBlocks, inside.width(), kBlocks);
    l.sky = QRectF(inside.left(), inside.top(), inside.width(), l.blocks.top() - kGap - inside.top());
    // From before sunset to after sunrise; the whole day where the sun does not set or does not rise.
    l.from = 0, l.to = NightTrack::kLength;
    if (model.ready())
        if (const auto night = model.track().sunBelow(-0.833); night && night->length() < NightTrack::kLength)
            l.from = std::max(0.0, night->from - 1800), l.to = std::min(NightTrack::kLength, night->to + 1800);
    return l;
}

void drawNight(QPainter& painter, const NightModel& model, const NightLayout& layout, const Theme& theme, int chosen) {
    NightDrawing(painter, model, layout, theme, chosen).all();
}

} // namespace caelumen
