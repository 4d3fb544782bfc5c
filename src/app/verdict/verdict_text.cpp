#include "app/verdict/verdict_text.h"

#include "app/widgets/copied.h"
#include "app/widgets/theme.h"

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

QString escaped(const std::string& text) {
    return QString::fromStdString(text).toHtmlEscaped();
}

QString list(const QString& title, const std::vector<std::string>& lines, const QString& colour = {}) {
    if (lines.empty()) return {};
    QString out = QString("<p style='margin:12px 0 2px;'><b>%1</b></p>").arg(title.toHtmlEscaped());
    for (const std::string& line : lines)
        out += QString("<p style='margin:3px 0;%1'>%2</p>").arg(colour.isEmpty() ? QString() : " color:" + colour + ";", escaped(line));
    return out;
}

QString number(double v, double sigma) {
    const int digits = sigma >= 10 ? 0 : sigma >= 1 ? 1 : 2;
    return QString::fromUtf8("%1 \u00B1 %2").arg(v, 0, 'f', digits).arg(sigma, 0, 'f', digits);
}

} // namespace

QString verdictPage(const VerdictModel& model, int chosen) {
    if (!model.verdict()) return QString("<p style='color:%1;'>%2</p>").arg(theme().dim.name(), model.problem().toHtmlEscaped());
    const Verdict& v = *model.verdict();
    QString out = list(tr("In words"), v.sentences);
    if (chosen >= 0 && chosen < static_cast<int>(v.ranking.size())) {
        const RankedFilter& f = v.ranking[static_cast<std::size_t>(chosen)];
        out += list(tr("What the score of %1 is made of").arg(QString::fromStdString(f.name)), f.reasons);
    }
    out += list(tr("Not tested"), v.notTested, theme().warn.name());
    out += list(tr("Notes"), v.notes, theme().dim.name());
    return out;
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
    const Theme& t = theme();
    if (!model.oldNew()) {
        const QString why = model.oldNewProblem();
        return QString("<p style='color:%1;'>%2</p>")
            .arg(t.dim.name(), (why.isEmpty() ? tr("Choose a run of an old trial and one of a new one: each is held against the baseline of its own trial, and "
                                                   "what depends on the sky is carried to the new one's.")
                                              : why)
                                   .toHtmlEscaped());
    }
    const OldNew& o = *model.oldNew();
    QString out = list(tr("In words"), o.sentences);
    if (!o.rows.empty()) {
        out += QString("<p style='margin:12px 0 2px;'></p><table cellspacing='0' cellpadding='5'><tr><th align='left'>%1</th><th align='right'>%2</th><th "
                       "align='right'>%3</th><th align='right'>%4</th></tr>")
                   .arg(tr("merit"), tr("old"), tr("new"), tr("better by (steps)"));
        for (const OldNewRow& r : o.rows) {
            const auto value = [&](const std::optional<double>& v, const std::optional<double>& s) {
                if (!v || !s) return QString("\u2013");
                const double scale = r.unit == "1" ? 100 : 1;
                return number(scale * *v, scale * *s) + (r.unit == "1" ? " %" : r.unit == "mag" ? " mag" : QString::fromUtf8("\u00D7"));
            };
            const QString origin = r.beforeOrigin == "scaled" ? tr(" (carried over)") : QString();
            out += QString("<tr><td>%1</td><td align='right'>%2%3</td><td align='right'>%4</td><td align='right'>%5</td></tr>")
                       .arg(escaped(r.label), value(r.before, r.beforeSigma), origin, value(r.now, r.nowSigma),
                            r.difference ? (r.toldApart ? "<b>" + number(*r.difference, *r.sigma) + "</b>" : number(*r.difference, *r.sigma)) : escaped(r.why));
        }
        out += "</table>";
    }
    out += QString("<p style='margin:10px 0 2px;'><a style='color:%1;' href='bench:old'>%2</a> \u00B7 <a style='color:%1;' href='bench:new'>%3</a></p>")
               .arg(t.accent.name(), tr("the old run on the Bench"), tr("the new run on the Bench"));
    out += list(tr("What else differed"), o.fairness, t.warn.name());
    if (o.fairness.empty())
        out += QString("<p style='color:%1;'>%2</p>").arg(t.dim.name(), tr("Nothing else that is known of differed between the two trials."));
    return out;
}

} // namespace caelumen
