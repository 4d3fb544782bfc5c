#pragma once

#include "core/log/log_query.h"

#include <QWidget>

class QComboBox;
class QTableWidget;

namespace caelumen {

class LogModel;

/// Hours of the runs that the search finds, by any two of their facts.
class HoursPage : public QWidget {
    Q_OBJECT

public:
    explicit HoursPage(LogModel& log, QWidget* parent = nullptr);
    void fill();
    QString text() const; ///< tab-separated
    QTableWidget& table() { return *m_table; }
    QComboBox& rows() { return *m_rows; }
    QComboBox& columns() { return *m_columns; }

signals:
    void wanted(const QString& query); ///< the runs behind a row

private:
    LogFacet facet(const QComboBox* box) const;
    bool eventFilter(QObject* of, QEvent* event) override;
    LogModel& m_log;
    QComboBox *m_rows, *m_columns;
    QTableWidget* m_table;
};

} // namespace caelumen
