#include "app/bench/rows.h"

#include "app/widgets/copied.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/theme.h"
#include "core/compare/sentences.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "report/local_number.h"

#include <QObject>
#include <QStringList>

namespace caelumen {
namespace {

QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

} // namespace

namespace {

/// The worst grade of what differed from the baseline, and what it is.
std::optional<Grade> fairnessOf(const TrialResults& r, const std::string& run, QString& what) {
    std::optional<Grade> worst;
    QStringList subjects;
    for (const Unfairness& u : r.fairness) {
        if (u.run != run || u.normalised) continue;
        if (!worst || u.grade > *worst) worst = u.grade;
        if (u.grade != Grade::Note) subjects << QString::fromStdString(u.subject).replace('_', ' ');
    }
    subjects.removeDuplicates();
    what = subjects.join(", ");
    return worst;
}

} // namespace

std::vector<LaneEntry> laneEntries(const Trial& trial, const TrialResults* r) {
    std::vector<LaneEntry> entries;
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        const Run& run = trial.runs[i];
        const Filter* f = trial.filter(run.filter);
        LaneEntry e;
        e.run = QString::fromStdString(run.id);
        e.filter = QString::fromStdString(f ? f->name : run.filter);
        e.kind = kindName(f ? f->kind : "other");
        e.baseline = r ? r->baseline == run.id : run.baseline;
        e.guessed = f && f->guessed;
        e.style = runStyle(trial, run.id, run.baseline, theme().isRed());
        e.style.number = static_cast<int>(i) + 1; // the key that flips to it
        e.south = trial.site.latitude_deg.value_or(1) < 0;
        if (r) {
            if (const RunConditions* c = r->conditionsOf(run.id)) {
                e.sky = c->sky;
                e.conditions = QString::fromStdString(conditionsSentence(trial, *c));
                QStringList brief;
                if (c->sky)
                    brief << (c->sky->moon.alt_deg > 0 ? QObject::tr("%1% at %2\u00B0")
                                                             .arg(localNumber(100 * c->sky->moonIlluminated, 'f', 0))
                                                             .arg(localNumber(c->sky->moon.alt_deg, 'f', 0))
                                                       : QObject::tr("moon down"));
                if (c->total_s) brief << QObject::tr("%1 min").arg(localNumber(*c->total_s / 60, 'f', 0));
                e.conditionsShort = brief.join(" \u00B7 ");
            }
            if (const Absence* why = r->whyAbsent(run.id, q::background); why && why->channel.empty()) e.problem = QString::fromStdString(why->reason);
            if (run.id != r->baseline) e.fairness = fairnessOf(*r, run.id, e.unfair);
        }
        if (!run.note.empty()) e.conditions += "\n" + QString::fromStdString(run.note);
        entries.push_back(std::move(e));
    }
    return entries;
}

namespace {

/// The worse of rows and columns.
const Measurement* bandingOf(const TrialResults& r, const std::string& run) {
    const Measurement *rows = r.headline(run, q::bandingRows), *columns = r.headline(run, q::bandingColumns);
    if (!rows || !columns) return rows ? rows : columns;
    const bool seen = !rows->flagged(flag::upperLimit), other = !columns->flagged(flag::upperLimit);
    return seen != other ? (seen ? rows : columns) : rows->value >= columns->value ? rows : columns;
}

const Measurement* figureOf(const TrialResults& r, const std::string& run, const Score& score, const std::string& region) {
    return score.id == "artefacts" ? bandingOf(r, run) : r.headline(run, std::string(score.headline), region);
}

void fillTip(ScoreRow& row, const TrialResults& r, const Score& score, const Measurement& m, const std::string& region) {
    row.tip = QObject::tr("%1, channel %2%3")
                  .arg(coreWord(quantity(m.quantity)->label), QString::fromStdString(m.channel),
                       m.region.empty() ? QString() : ", " + QString::fromStdString(m.region));
    QStringList flags;
    for (const std::string& f : m.flags) flags << QString::fromStdString(f);
    if (!flags.isEmpty()) row.tip += "\n" + QObject::tr("Flags: ") + flags.join(", ");
    if (const Ranking* ranking = rankingOf(r, score.headline, score.id == "nebula" ? region : std::string())) {
        if (const std::string tie = tieSentence(*ranking, m.run); !tie.empty()) {
            row.tied = true;
            row.tip += "\n" + QString::fromStdString(tie);
        }
    }
    if (!m.note.empty()) row.tip += "\n" + QString::fromStdString(m.note);
    if (const Unfairness* u = voided(r, m.run, score)) row.tip += "\n" + QObject::tr("Not a fair comparison: ") + QString::fromStdString(u->text);
}

} // namespace

std::span<const Score> benchScores() {
    static const std::vector<Score> all = [] {
        std::vector<Score> out(scores().begin(), scores().end());
        out.push_back({"artefacts", "Artefacts", q::bandingRows, "How clean are rows and columns?"});
        return out;
    }();
    return all;
}

std::vector<ScoreRow> scoreRows(const Trial& trial, const TrialResults* r, const Score& score, const QString& region) {
    std::vector<ScoreRow> rows;
    for (const Run& run : trial.runs) {
        const Measurement* m = r ? figureOf(*r, run.id, score, region.toStdString()) : nullptr;
        ScoreRow row{scoreWhisker(trial, r, run, score, m, theme().isRed()), QString::fromStdString(run.id), {}};
        const bool known = r && r->conditionsOf(run.id);
        const Absence* why = known && !m ? r->whyAbsent(run.id, std::string(score.headline)) : nullptr;
        if (m)
            fillTip(row, *r, score, *m, region.toStdString());
        else
            row.tip = why ? QString::fromStdString(why->reason) : !known ? QObject::tr("Not measured yet.") : QString();
        rows.push_back(std::move(row));
    }
    return rows;
}

QString scoreTable(const Trial& trial, const TrialResults* r, const QString& nebula) {
    QStringList head{QObject::tr("Run"), QObject::tr("Filter")};
    for (const Score& score : scores()) {
        const Quantity* q = quantity(score.headline);
        head << coreWord(q->label) + (q->unit == "1" ? QString() : " (" + text(q->unit) + ")");
    }
    QString out = copiedRow(head);
    for (const Run& run : trial.runs) {
        const Filter* f = trial.filter(run.filter);
        QStringList row{copiedName(run.id), copiedName(f ? f->name : run.filter)};
        for (const Score& score : scores()) {
            const Measurement* m = r ? scoreOf(*r, run.id, score, nebula.toStdString()) : nullptr;
            row << (m ? QString::fromStdString(formatValue(*m)) + (voided(*r, run.id, score) ? QObject::tr(" (not fair)") : QString()) : QString());
        }
        out += copiedRow(row);
    }
    return out;
}

} // namespace caelumen
