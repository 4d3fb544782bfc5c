#include "app/log/log_table.h"

#include "app/log/log_model.h"
#include "app/widgets/copied.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"
#include "report/local_number.h"
#include "report/number_text.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString figureText(const LogEntry& e, const char* quantity) {
    const LogFigure* f = e.figure(quantity);
    if (!f) return {};
    const QString limit = f->limit ? QString("< ") : QString();
    // An error that four digits do not show would only make the column wide; it stands in the panel.
    if (f->sigma < 0.005 * std::abs(f->value)) return limit + localNumber(f->value, 'g', 4);
    return limit + withError(f->value, f->limit ? 0 : f->sigma);
}

QString textOf(const LogEntry& e, int column) {
    switch (column) {
    case LogTable::Night:
        return QString::fromStdString(e.night);
    case LogTable::TargetName:
        return QString::fromStdString(e.target.name);
    case LogTable::FilterName:
        return QString::fromStdString(e.filter);
    case LogTable::Place:
        return QString::fromStdString(e.place);
    case LogTable::Sky:
        return QString::fromStdString(e.sky());
    case LogTable::Moon:
        return QString::fromStdString(e.moon());
    case LogTable::Rig:
        return QString::fromStdString(e.rig.empty() ? e.camera : e.rig);
    case LogTable::Hours:
        return e.total_s ? localNumber(*e.total_s / 3600, 'f', 2) : QString();
    case LogTable::Faster:
        return figureText(e, q::timeRatio);
    case LogTable::Background:
        return figureText(e, q::background);
    case LogTable::Clean:
        return figureText(e, q::haloCleanMag);
    case LogTable::Tags:
        return QString::fromStdString(e.tags);
    case LogTable::TrialName:
        return QString::fromStdString(e.trial.empty() ? e.stack.substr(e.stack.rfind('/') + 1) : e.trial + (e.run.empty() ? "" : " " + e.run));
    default:
        return {};
    }
}

std::optional<double> numberOf(const LogEntry& e, int column) {
    const auto figure = [&](const char* q) { return e.figure(q) ? std::optional(e.figure(q)->value) : std::nullopt; };
    switch (column) {
    case LogTable::Hours:
        return e.total_s;
    case LogTable::Faster:
        return figure(q::timeRatio);
    case LogTable::Background:
        return figure(q::background);
    case LogTable::Clean:
        return figure(q::haloCleanMag);
    case LogTable::Moon:
        return e.moon().empty() ? std::nullopt : std::optional(e.moon() == "none" ? 0 : e.moonIlluminated.value_or(0));
    case LogTable::Sky:
        return e.skyMag ? e.skyMag : e.bortle ? std::optional(bortleBrightness(*e.bortle)) : std::nullopt;
    default:
        return std::nullopt;
    }
}

bool isNumber(int column) {
    return column == LogTable::Hours || column == LogTable::Faster || column == LogTable::Background || column == LogTable::Clean;
}

} // namespace

LogTable::LogTable(LogModel& log, QObject* parent)
    : QAbstractTableModel(parent)
    , m_log(log) {}

int LogTable::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
}

int LogTable::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : Columns;
}

QVariant LogTable::data(const QModelIndex& index, int role) const {
    if (!index.isValid()) return {};
    const LogEntry& e = m_log.all()[m_rows[static_cast<std::size_t>(index.row())]];
    if (role == Qt::DisplayRole || role == Qt::ToolTipRole) return textOf(e, index.column());
    if (role == Qt::TextAlignmentRole && isNumber(index.column())) return static_cast<int>(Qt::AlignRight | Qt::AlignVCenter);
    if (role == Qt::ForegroundRole && isNumber(index.column())) {
        const char* quantity = index.column() == Faster       ? q::timeRatio
                               : index.column() == Background ? "background"
                               : index.column() == Clean      ? q::haloCleanMag
                                                              : "";
        if (const LogFigure* f = e.figure(quantity); f && f->voided) return theme().dim; // the panel says why
    }
    return {};
}

QVariant LogTable::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) return {};
    static const std::pair<const char*, const char*> names[Columns] = {
        {"night", "Evening of the night"},
        {"target", ""},
        {"filter", ""},
        {"place", ""},
        {"moon", "None, crescent, half, gibbous, full"},
        {"sky", "Bortle class, or brightness at the zenith"},
        {"hours", "Exposure that is in the stack"},
        {"times faster", "Time ratio against the baseline of its trial; dim where something besides the filter explains it"},
        {"sky, e\u207B/s/px", "Background"},
        {"clean to, mag", "Stars fainter than that show no halo"},
        {"tags", "Your own"},
        {"rig", ""},
        {"trial", "And run; or the file"}};
    if (role == Qt::DisplayRole) return tr(names[section].first);
    if (role == Qt::ToolTipRole) return tr(names[section].second);
    return {};
}

void LogTable::refresh() {
    beginResetModel();
    m_rows = m_log.found();
    endResetModel();
    sort(m_column, m_order);
}

void LogTable::sort(int column, Qt::SortOrder order) {
    m_column = column, m_order = order;
    emit layoutAboutToBeChanged();
    // Keys once; what is not known comes last either way.
    struct Key {
        std::optional<double> number;
        QString text;
        std::size_t entry;
    };
    std::vector<Key> keys;
    keys.reserve(m_rows.size());
    for (const std::size_t i : m_rows) {
        const LogEntry& e = m_log.all()[i];
        keys.push_back({numberOf(e, column), textOf(e, column), i});
    }
    const bool numbers = std::any_of(keys.begin(), keys.end(), [](const Key& k) { return k.number.has_value(); });
    std::stable_sort(keys.begin(), keys.end(), [&](const Key& a, const Key& b) {
        const bool none = numbers ? !a.number : a.text.isEmpty(), other = numbers ? !b.number : b.text.isEmpty();
        if (none || other) return !none && other;
        if (numbers) return order == Qt::AscendingOrder ? *a.number < *b.number : *a.number > *b.number;
        const int way = a.text.compare(b.text, Qt::CaseInsensitive);
        return order == Qt::AscendingOrder ? way < 0 : way > 0;
    });
    const QModelIndexList before = persistentIndexList();
    std::map<std::size_t, int> places;
    for (std::size_t r = 0; r < keys.size(); ++r) places[keys[r].entry] = static_cast<int>(r);
    QModelIndexList after;
    for (const QModelIndex& i : before) after << index(places[m_rows[static_cast<std::size_t>(i.row())]], i.column());
    for (std::size_t r = 0; r < keys.size(); ++r) m_rows[r] = keys[r].entry;
    changePersistentIndexList(before, after);
    emit layoutChanged();
}

int LogTable::rowOf(const std::string& uid) const {
    const auto it = std::find_if(m_rows.begin(), m_rows.end(), [&](std::size_t i) { return m_log.all()[i].uid == uid; });
    return it == m_rows.end() ? -1 : static_cast<int>(it - m_rows.begin());
}

QString LogTable::text(const QList<int>& rows) const {
    QStringList head;
    for (int c = 0; c < Columns; ++c) head << headerData(c, Qt::Horizontal, Qt::DisplayRole).toString();
    QString out = copiedRow(head);
    const auto add = [&](int r) {
        QStringList row;
        for (int c = 0; c < Columns; ++c) row << copiedName(textOf(m_log.all()[m_rows[static_cast<std::size_t>(r)]], c).toStdString());
        out += copiedRow(row);
    };
    for (const int r : rows) add(r);
    if (rows.isEmpty())
        for (int r = 0; r < rowCount(); ++r) add(r);
    return out;
}

} // namespace caelumen
