#include "app/verdict/verdict_text.h"

#include "app/widgets/copied.h"
#include "app/widgets/page_ink.h"
#include "report/local_number.h"

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

using Tone = TextPage::Tone;

QString number(double v, double sigma) {
    const int digits = sigma >= 10 ? 0 : sigma >= 1 ? 1 : 2;
    return QString::fromUtf8("%1 \u00B1 %2").arg(localNumber(v, 'f', digits)).arg(localNumber(sigma, 'f', digits));
}

} // namespace

QString verdictPage(const VerdictModel& model, int chosen) {
    TextPage page = screenPage();
    if (!model.verdict()) {
        page.line(model.problem(), Tone::Dim);
        return page.html();
    }
    const Verdict& v = *model.verdict();
    page.section(tr("In words"), v.sentences);
    if (chosen >= 0 && chosen < static_cast<int>(v.ranking.size())) {
        const RankedFilter& f = v.ranking[static_cast<std::size_t>(chosen)];
        page.section(tr("What the score of %1 is made of").arg(QString::fromStdString(f.name)), f.reasons);
    }
    page.section(tr("Not tested"), v.notTested, Tone::Warn);
    page.section(tr("Notes"), v.notes, Tone::Dim);
    return page.html();
}

QString verdictText(const Verdict& v) {
    QStringList out;
    for (const std::string& s : v.sentences) out << QString::fromStdString(s);
    if (!v.notTested.empty()) out << QString() << tr("Not tested:");
    for (const std::string& s : v.notTested) out << QString::fromStdString(s);
    return out.join('\n') + '\n';
}

QString verdictTable(const Verdict& v) {
    QString out = copiedRow({tr("filter"), tr("score"), tr("error"), tr("chance of being best"), tr("not told apart from"), tr("price"), tr("currency"),
                             tr("hours saved a year"), tr("error"), tr("price of an hour")});
    for (const RankedFilter& f : v.ranking) {
        QStringList ties;
        for (const std::string& id : f.tiedWith) ties << copiedName(id);
        QStringList row{copiedName(f.name), QString::number(f.score, 'f', 2), QString::number(f.sigma, 'f', 2), QString::number(f.pBest, 'f', 3),
                        ties.join(' ')};
        for (const FilterValue& x : v.value)
            if (x.id == f.id)
                row << (x.price ? QString::number(*x.price, 'f', 2) : QString()) << copiedName(x.currency) << QString::number(x.hoursSaved, 'f', 1)
                    << QString::number(x.sigma, 'f', 1) << (x.pricePerHour ? QString::number(*x.pricePerHour, 'f', 2) : QString());
        out += copiedRow(row);
    }
    return out;
}

QString oldNewPage(const VerdictModel& model) {
    TextPage page = screenPage();
    if (!model.oldNew()) {
        const QString why = model.oldNewProblem();
        page.line(why.isEmpty() ? tr("Choose a run of an old trial and one of a new one: each is held against the baseline of its own trial, and "
                                     "what depends on the sky is carried to the new one's.")
                                : why,
                  Tone::Dim);
        return page.html();
    }
    const OldNew& o = *model.oldNew();
    page.section(tr("In words"), o.sentences);
    QList<QStringList> rows;
    for (const OldNewRow& r : o.rows) {
        const auto value = [&](const std::optional<double>& v, const std::optional<double>& s) {
            if (!v || !s) return QString("\u2013");
            const double scale = r.unit == "1" ? 100 : 1;
            return number(scale * *v, scale * *s) + (r.unit == "1" ? " %" : r.unit == "mag" ? " mag" : QString::fromUtf8("\u00D7"));
        };
        const QString apart = r.difference ? number(*r.difference, *r.sigma) : TextPage::safe(r.why);
        rows << QStringList{TextPage::safe(r.label), value(r.before, r.beforeSigma) + (r.beforeOrigin == "scaled" ? tr(" (carried over)") : QString()),
                            value(r.now, r.nowSigma), r.difference && r.toldApart ? "<b>" + apart + "</b>" : apart};
    }
    if (!rows.isEmpty())
        page.table({{tr("merit"), false, true}, {tr("old"), true, true}, {tr("new"), true, true}, {tr("better by (steps)"), true, true}}, rows);
    page.paragraph(page.link("bench:old", tr("the old run on the Bench")) + QString::fromUtf8(" \u00B7 ") +
                   page.link("bench:new", tr("the new run on the Bench")));
    page.section(tr("What else differed"), o.fairness, Tone::Warn);
    if (o.fairness.empty()) page.line(tr("Nothing else that is known of differed between the two trials."), Tone::Dim);
    return page.html();
}

} // namespace caelumen
