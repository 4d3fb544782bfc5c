#include "app/subs/sub_table.h"

#include "app/widgets/copied.h"
#include "app/widgets/core_words.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

namespace caelumen {
void SubTable::show(const JudgedRun* run, std::optional<double> gain, std::function<QString(const std::string&)> clock, const QString& clockName) {
    m_clockName = clockName;
    const bool same = run && m_rows > 0 && m_rows == run->subs.size();
    if (!same) beginResetModel();
    m_run = run, m_gain = gain, m_clock = std::move(clock);
    m_rows = run ? run->subs.size() : 0;
    if (!same)
        endResetModel();
    else
        emit dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

QString SubTable::cell(const JudgedSub& s, int row, int column) const {
    const SubFigures& f = s.figures;
    const bool measured = f.problem.empty() && !f.level.empty();
    const auto number = [&](std::optional<double> v, int digits) { return measured && v ? localNumber(*v, 'f', digits) : QString(); };
    switch (column) {
    case Number:
        return QString::number(row + 1);
    case Time:
        return f.start.empty() || !m_clock ? QString() : m_clock(f.start);
    case Verdict: {
        if (!measured && f.problem.empty()) return QString::fromUtf8("\u2026");
        const QString word = s.keep ? tr("keep") : coreWord(reasonName(s.reason));
        return s.byHand ? word + tr(" (you)") : word;
    }
    case Sky: {
        if (!measured) return {};
        const double v = skyRate(f, m_gain);
        return localNumber(v, 'f', v < 1 ? 3 : 2);
    }
    case Transparency:
        return number(f.transparency, 2);
    case Fwhm:
        return number(f.fwhm_px, 2);
    case Eccentricity:
        return number(f.eccentricity, 2);
    case Tilt:
        return number(f.tilt, 2);
    case Stars:
        return measured ? QString::number(f.stars) : QString();
    case Trails:
        return measured && f.trails > 0 ? QString::number(f.trails) : QString();
    default:
        return {};
    }
}

QVariant SubTable::data(const QModelIndex& at, int role) const {
    if (!m_run || at.row() >= rowCount() || static_cast<std::size_t>(at.row()) >= m_run->subs.size()) return {};
    const JudgedSub& s = m_run->subs[static_cast<std::size_t>(at.row())];
    switch (role) {
    case Qt::DisplayRole:
        return cell(s, at.row(), at.column());
    case Qt::TextAlignmentRole:
        return at.column() == Verdict ? QVariant(Qt::AlignLeft | Qt::AlignVCenter) : QVariant(Qt::AlignRight | Qt::AlignVCenter);
    case Qt::ForegroundRole:
        return s.keep ? QVariant(theme().text) : QVariant(theme().bad);
    case Qt::ToolTipRole:
        return QString("%1\n%2").arg(QString::fromStdString(s.figures.file),
                                     s.words.empty() ? (s.keep ? tr("Nothing speaks against it.") : QString()) : QString::fromStdString(s.words));
    default:
        return {};
    }
}

QVariant SubTable::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) return {};
    static const char* names[] = {"#", "time", "verdict", "sky", "transp.", "FWHM", "ecc.", "corner", "stars", "trails"};
    static const char* tips[] = {"",
                                 "Start, by the place's clock",
                                 "Keep, or why it is left out",
                                 "e\u207B/s/px (ADU/s where the gain is not known)",
                                 "Light of its stars over the run's best decile",
                                 "px",
                                 "0 round, 1 a line",
                                 "FWHM in the worst corner over the middle's: tilt, or something in the light",
                                 "Above 5 sigma",
                                 "Straight trails: clipping takes them out"};
    if (role == Qt::DisplayRole) return section == Time ? m_clockName : tr(names[section]);
    if (role == Qt::ToolTipRole) return tr(tips[section]);
    if (role == Qt::TextAlignmentRole) return section == Verdict ? QVariant(Qt::AlignLeft | Qt::AlignVCenter) : QVariant(Qt::AlignRight | Qt::AlignVCenter);
    return {};
}

QString SubTable::text() const {
    QStringList head;
    for (int c = 0; c < ColumnCount; ++c) head << headerData(c, Qt::Horizontal, Qt::DisplayRole).toString();
    QString out = copiedRow(head << "file"
                                 << "why");
    for (int r = 0; r < rowCount(); ++r) {
        const JudgedSub& s = m_run->subs[static_cast<std::size_t>(r)];
        QStringList row;
        for (int c = 0; c < ColumnCount; ++c) row << cell(s, r, c);
        out += copiedRow(row << copiedName(s.figures.file) << copiedName(s.words));
    }
    return out;
}

} // namespace caelumen
