#include "app/subs/sub_table.h"

#include "app/widgets/copied.h"
#include "app/widgets/core_words.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <map>
#include <tuple>

namespace caelumen {

void SubTable::show(const JudgedRun* run, std::optional<double> gain, std::function<QString(const std::string&)> clock, const QString& clockName) {
    if (clockName != m_clockName) {
        m_clockName = clockName;
        emit headerDataChanged(Qt::Horizontal, Time, Time);
    }
    const bool same = run && m_rows > 0 && m_rows == run->subs.size();
    if (!same) beginResetModel();
    m_run = run, m_gain = gain, m_clock = std::move(clock);
    m_rows = run ? run->subs.size() : 0;
    if (!same)
        endResetModel();
    else
        emit dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

std::optional<double> SubTable::number(const JudgedSub& s, int column) const {
    const SubFigures& f = s.figures;
    if (!f.problem.empty() || f.level.empty()) return std::nullopt;
    switch (column) {
    case Sky:
        return skyRate(f, m_gain);
    case Transparency:
        return s.transparency;
    case Fwhm:
        return f.fwhm_px;
    case Eccentricity:
        return f.eccentricity;
    case Tilt:
        return f.tilt;
    case Stars:
        return f.stars;
    case Trails:
        return f.trails > 0 ? std::optional<double>(f.trails) : std::nullopt;
    default:
        return std::nullopt;
    }
}

QString SubTable::cell(const JudgedSub& s, int row, int column) const {
    const SubFigures& f = s.figures;
    const auto value = number(s, column);
    switch (column) {
    case Number:
        return QString::number(row + 1);
    case Time:
        return f.start.empty() || !m_clock ? QString() : m_clock(f.start);
    case Verdict: {
        if (!f.measured()) return QString::fromUtf8("\u2026");
        const QString word = s.keep ? tr("keep") : coreWord(reasonName(s.reason));
        return s.byHand ? word + tr(" (you)") : word;
    }
    case Stars:
    case Trails:
        return value ? QString::number(*value) : QString();
    default:
        return value ? localNumber(*value, 'f', column == Sky && *value < 1 ? 3 : 2) : QString();
    }
}

std::vector<int> SubTable::widest(int column) const {
    std::map<std::tuple<bool, bool, SubReason>, int> words;
    std::map<bool, std::pair<double, int>> greatest; // below one, where more places are shown, and from one on
    double least = 0;
    int leastRow = 0, timed = 0;
    for (int row = rowCount() - 1; row >= 0; --row) {
        const JudgedSub& s = m_run->subs[static_cast<std::size_t>(row)];
        words[{s.keep, s.byHand, s.reason}] = row;
        if (!s.figures->start.empty()) timed = row;
        const auto value = number(s, column);
        if (!value) continue;
        if (*value < least) least = *value, leastRow = row;
        const auto [it, first] = greatest.try_emplace(*value < 1, *value, row);
        if (!first && *value > it->second.first) it->second = {*value, row};
    }
    std::vector<int> out{rowCount() - 1, leastRow, timed};
    for (const auto& [below, of] : greatest) out.push_back(of.second);
    if (column == Verdict)
        for (const auto& [word, row] : words) out.push_back(row);
    return out;
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
        return QString("%1\n%2").arg(QString::fromStdString(s.figures->file),
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
        out += copiedRow(row << copiedName(s.figures->file) << copiedName(s.words));
    }
    return out;
}

} // namespace caelumen
