#include "report/summary_card.h"

#include "core/compare/sentences.h"
#include "core/model/quantity.h"
#include "report/filter_style.h"
#include "report/local_number.h"
#include "report/slides.h"
#include "report/whiskers.h"

#include <QBuffer>
#include <QPainter>
#include <QSvgGenerator>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// The ranking where there is a verdict, else the time ratio of each run in its best channel.
std::vector<Whisker> barsOf(const Trial& trial, const TrialResults& r, const ReportExtras& extras, QString& what) {
    std::vector<Whisker> out;
    if (extras.verdict && extras.profile) {
        what = QObject::tr("Score in steps from the baseline that somebody would notice");
        for (RankingRow& row : rankingRows(trial, *extras.verdict, *extras.profile)) {
            row.text = QObject::tr("%1  (best in %2)").arg(row.text, row.chanceText());
            out.push_back(std::move(row));
        }
        return out;
    }
    what = QObject::tr("Time ratio: how many times faster than the baseline");
    for (const Run& run : trial.runs)
        for (const Measurement& m : r.measurements)
            if (m.run == run.id && m.quantity == q::timeRatio && m.headline) {
                const Filter* f = trial.filter(run.filter);
                out.push_back({QString::fromStdString(f ? f->name : run.filter), filterStyleOf(trial, run.filter, {}), m.value, m.sigma,
                               QString::fromUtf8("%1 \u00B1 %2").arg(localNumber(m.value, 'g', 3)).arg(localNumber(m.sigma, 'g', 2))});
                break;
            }
    std::stable_sort(out.begin(), out.end(), [](const Whisker& a, const Whisker& b) { return *a.value > *b.value; });
    return out;
}

void paintCard(QPainter& p, const Trial& trial, const TrialResults& r, const ReportExtras& extras, QSizeF size) {
    const bool tall = size.height() > size.width();
    const double margin = 54, width = size.width() - 2 * margin;
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(QRectF(QPointF(0, 0), size), QColor(30, 30, 30));
    QFont font = p.font();
    const auto text = [&](double y, double height, int pixels, bool bold, const QColor& colour, const QString& words) {
        font.setPixelSize(pixels);
        font.setBold(bold);
        p.setFont(font);
        p.setPen(colour);
        QRectF used;
        p.drawText(QRectF(margin, y, width, height), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, words, &used);
        return std::min(y + height, used.bottom());
    };
    const QColor light(236, 236, 236), dim(170, 170, 170);
    double y = text(margin * 0.8, tall ? 150 : 60, tall ? 50 : 42, true, light,
                    tall ? QString::fromStdString(trial.title)
                         : QFontMetricsF([&] {
                               QFont f = font;
                               f.setPixelSize(42);
                               f.setBold(true);
                               return f;
                           }())
                               .elidedText(QString::fromStdString(trial.title), Qt::ElideRight, width));
    QString sentence;
    if (extras.verdict && !extras.verdict->sentences.empty())
        sentence = QString::fromStdString(extras.verdict->sentences.front());
    else
        for (const Run& run : trial.runs)
            if (run.id != r.baseline && sentence.isEmpty()) sentence = QString::fromStdString(answerSentence(trial, r, run.id));
    y = text(y + 14, tall ? 260 : 128, tall ? 32 : 25, false, light, sentence) + (tall ? 40 : 20);
    QString what;
    const auto bars = barsOf(trial, r, extras, what);
    const double foot = size.height() - (tall ? 140 : 84);
    if (!bars.empty()) {
        y = text(y, 40, tall ? 26 : 20, false, dim, what) + 12;
        const WhiskerScale scale = scaleFromZero(bars);
        const double row = std::min(tall ? 96.0 : 62.0, (foot - y - 8) / static_cast<double>(bars.size()));
        const int pixels = std::clamp(static_cast<int>(0.42 * row), 12, tall ? 28 : 22);
        const double left = margin + (tall ? 0.40 : 0.32) * width, right = margin + (tall ? 0.70 : 0.74) * width;
        const auto x = [&](double v) { return scale.at(v, left, right, 0); };
        p.setPen(QPen(dim, 1, Qt::DashLine));
        p.drawLine(QPointF(x(0), y), QPointF(x(0), y + row * static_cast<double>(bars.size())));
        font.setPixelSize(pixels);
        font.setBold(false);
        p.setFont(font);
        const QFontMetricsF metrics(font);
        for (const Whisker& b : bars) {
            const double middle = y + 0.5 * row;
            p.setPen(light);
            p.drawText(QRectF(margin, y, left - margin - 18, row), Qt::AlignLeft | Qt::AlignVCenter,
                       metrics.elidedText(b.name, Qt::ElideRight, left - margin - 18));
            p.setPen(QPen(b.style.colour, 4));
            p.drawLine(QPointF(x(*b.value - *b.sigma), middle), QPointF(x(*b.value + *b.sigma), middle));
            p.setPen(Qt::NoPen);
            p.setBrush(b.style.colour);
            p.drawPath(b.style.marker(0.32 * pixels + 3).translated(x(*b.value), middle));
            p.setPen(light);
            p.drawText(QRectF(right + 16, y, margin + width - right - 16, row), Qt::AlignRight | Qt::AlignVCenter, b.text);
            y += row;
        }
    }
    text(foot + 12, size.height() - foot - 20, tall ? 22 : 17, false, dim, conditionsLine(trial, r));
}

} // namespace

QImage summaryCard(const Trial& trial, const TrialResults& r, const ReportExtras& extras, QSize size) {
    QImage out(size, QImage::Format_RGB32);
    QPainter p(&out);
    paintCard(p, trial, r, extras, size);
    return out;
}

QByteArray summaryCardSvg(const Trial& trial, const TrialResults& r, const ReportExtras& extras, QSize size) {
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QSvgGenerator generator;
    generator.setOutputDevice(&buffer);
    generator.setSize(size);
    generator.setViewBox(QRect(QPoint(0, 0), size));
    generator.setTitle(QString::fromStdString(trial.title).toHtmlEscaped()); // it writes it as it is
    QPainter p(&generator);
    paintCard(p, trial, r, extras, size);
    p.end();
    return buffer.data();
}

} // namespace caelumen
