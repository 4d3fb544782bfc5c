#pragma once

#include "core/prepare/verdict.h"

#include <QAbstractTableModel>

#include <functional>
#include <optional>
#include <vector>

namespace caelumen {

/// The subs of a run as rows.
class SubTable : public QAbstractTableModel {
public:
    enum Column { Number, Time, Verdict, Sky, Transparency, Fwhm, Eccentricity, Tilt, Stars, Trails, ColumnCount };

    using QAbstractTableModel::QAbstractTableModel;
    void show(const JudgedRun* run, std::optional<double> gain, std::function<QString(const std::string&)> clock, const QString& clockName);
    QString text() const; ///< tab-separated
    /// Some rows, the widest text of a column among them: thousands are not laid out for its width.
    std::vector<int> widest(int column) const;

    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : static_cast<int>(m_rows); }
    int columnCount(const QModelIndex& = {}) const override { return ColumnCount; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    QString cell(const JudgedSub& sub, int row, int column) const;
    std::optional<double> number(const JudgedSub& sub, int column) const;
    const JudgedRun* m_run = nullptr;
    std::size_t m_rows = 0; ///< that the view knows of
    QString m_clockName;
    std::optional<double> m_gain;
    std::function<QString(const std::string&)> m_clock;
};

} // namespace caelumen
