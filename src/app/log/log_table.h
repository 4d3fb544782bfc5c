#pragma once

#include <QAbstractTableModel>

namespace caelumen {

class LogModel;

/// The runs that the search finds, as a table that can be sorted.
class LogTable : public QAbstractTableModel {
    Q_OBJECT

public:
    enum Column { Night, TargetName, FilterName, Place, Moon, Sky, Hours, Faster, Background, Clean, Tags, Rig, TrialName, Columns };
    explicit LogTable(LogModel& log, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void sort(int column, Qt::SortOrder order) override;
    std::size_t entryAt(int row) const { return m_rows[static_cast<std::size_t>(row)]; } ///< of the log's entries
    int rowOf(const std::string& uid) const;                                             ///< -1: not found
    void refresh();
    QString text(const QList<int>& rows) const; ///< tab-separated; of no rows: all

private:
    LogModel& m_log;
    std::vector<std::size_t> m_rows;
    int m_column = Night;
    Qt::SortOrder m_order = Qt::DescendingOrder;
};

} // namespace caelumen
