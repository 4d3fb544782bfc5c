#include "report/whiskers.h"

#include "core/base/phrase.h"
#include "core/compare/sentences.h"
#include "core/model/flags.h"
#include "report/local_number.h"
#include "report/svg_plots.h"

#include <QStringList>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {

void WhiskerScale::take(double value) {
    low = std::min(low, value), high = std::max(high, value);
}

void WhiskerScale::take(const Whisker& row) {
    if (!row.value || !row.sigma) return;
    const double s = std::min(*row.sigma, 3 * std::abs(*row.value) + 1);
    take(*row.value - s), take(*row.value + s);
}

double WhiskerScale::at(double value, double left, double right, double room) const {
    const double span = std::max(high - low, 1e-12);
    return std::clamp(left + ((value - low) / span + room) / (1 + 2 * room) * (right - left), left, right);
}

Whisker scoreWhisker(const Trial& trial, const TrialResults* r, const Run& run, const Score& score, const Measurement* m, bool redTheme) {
    Whisker row;
    const bool base = r ? r->baseline == run.id : run.baseline;
    const Filter* filter = trial.filter(run.filter);
    row.name = QString::fromStdString(run.id + " " + (filter ? filter->name : run.filter));
    row.style = runStyle(trial, run.id, base, redTheme);
    if (m) {
        row.value = m->value, row.sigma = m->sigma;
        row.limit = m->flagged(flag::upperLimit);
        row.text = QString::fromStdString(formatValue(*m));
        row.unfair = voided(*r, run.id, score) != nullptr;
        return row;
    }
    const bool absolute = score.id == "gradient" || score.id == "artefacts";
    row.text = base && !absolute                ? QString::fromStdString(wordOf("baseline"))
               : !r || !r->conditionsOf(run.id) ? QString(QChar(0x2026)) // a run that was added since is not absent, it is not measured yet
                                                : QString::fromStdString(wordOf("absent"));
    return row;
}

QString RankingRow::chanceText() const {
    return chance > 0 && chance < 0.005 ? QString("< %1 %").arg(localNumber(1, 'f', 0)) : QString("%1 %").arg(localNumber(100 * chance, 'f', 0));
}

std::vector<RankingRow> rankingRows(const Trial& trial, const Verdict& v, const Profile& profile, bool redTheme) {
    std::vector<std::string> ids;
    for (const RankedFilter& f : v.ranking) ids.push_back(f.id);
    const auto styles = filterStyles(trial, ids, redTheme);
    const auto nameOf = [&](const std::string& id) {
        const auto it = std::find_if(v.ranking.begin(), v.ranking.end(), [&](const RankedFilter& f) { return f.id == id; });
        return QString::fromStdString(it == v.ranking.end() ? id : it->name);
    };
    double weights = 0;
    for (const double w : profile.weights) weights += w;
    std::vector<RankingRow> rows;
    for (const RankedFilter& f : v.ranking) {
        RankingRow row;
        row.id = QString::fromStdString(f.id), row.name = QString::fromStdString(f.name), row.style = styles.at(f.id);
        row.value = f.score, row.sigma = f.sigma, row.chance = f.pBest;
        row.text = QString::fromUtf8("%1 \u00B1 %2").arg(localNumber(f.score, 'f', 1)).arg(localNumber(f.sigma, 'f', 1));
        for (std::size_t m = 0; m < kMerits.size(); ++m) row.parts[m] = weights > 0 ? profile.weights[m] / weights * f.steps[m] : 0;
        QStringList ties;
        for (const std::string& id : f.tiedWith) ties << nameOf(id);
        if (!ties.isEmpty()) row.ties = QString::fromStdString(phrase("not told apart from {}", ties.join(", ").toStdString()));
        rows.push_back(std::move(row));
    }
    return rows;
}

WhiskerScale rankingScale(const std::vector<RankingRow>& rows) {
    WhiskerScale scale = scaleFromZero(rows);
    for (const RankingRow& r : rows) {
        double up = 0, down = 0;
        for (const double part : r.parts) (part > 0 ? up : down) += part;
        scale.take(up), scale.take(down);
    }
    return scale;
}

std::string whiskersSvg(const std::vector<Whisker>& rows, std::optional<double> base) {
    WhiskerScale scale;
    for (const Whisker& row : rows) scale.take(row);
    if (scale.empty()) return {};
    if (base) scale.take(*base);
    constexpr double left = 190, right = 500, rowHeight = 24;
    const auto x = [&](double v) { return scale.at(v, left, right); };
    const double height = rowHeight * static_cast<double>(rows.size()) + 10;
    std::string s;
    if (base) s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"2\" y2=\"{1}\" stroke=\"#888\" stroke-dasharray=\"3 3\"/>", x(*base), height - 4);
    double y = 16;
    for (const Whisker& row : rows) {
        const std::string colour = row.style.colour.name().toStdString(), text = escaped(row.text.toStdString());
        s += svgMarker(row.style, 10, y, 6) + fmt::format("<text x=\"22\" y=\"{}\">{}</text>", y + 4, escaped(row.name.toStdString()));
        if (row.value) {
            s += fmt::format("<line x1=\"{:.1f}\" x2=\"{:.1f}\" y1=\"{}\" y2=\"{}\" stroke=\"{}\" stroke-width=\"2\"{}/>", x(*row.value - *row.sigma),
                             x(*row.value + *row.sigma), y, y, colour, row.limit ? " stroke-dasharray=\"2 3\"" : "");
            s += fmt::format("<circle cx=\"{:.1f}\" cy=\"{}\" r=\"4\" fill=\"{}\" stroke=\"{}\"/>", x(*row.value), y, row.limit ? "none" : colour, colour);
            // What is not fair is no result.
            s += fmt::format("<text x=\"{}\" y=\"{}\"><tspan{}>{}</tspan>{}</text>", right + 10, y + 4, row.unfair ? " text-decoration=\"line-through\"" : "",
                             text, row.unfair ? " " + escaped(wordOf("not fair")) : "");
        } else {
            s += fmt::format("<text x=\"{}\" y=\"{}\" fill=\"#777\">{}</text>", right + 10, y + 4, text);
        }
        y += rowHeight;
    }
    return svgPage(640, height, s);
}

} // namespace caelumen
