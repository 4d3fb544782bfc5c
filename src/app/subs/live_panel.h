#pragma once

#include "app/subs/live_watch.h"

#include <QTimeZone>
#include <QWidget>

class QCustomPlot;
class QLabel;
class QTableWidget;

namespace caelumen {

/// The evidence for each pair of filters as it grows: may the night be ended, or must it go on?
class LivePanel : public QWidget {
    Q_OBJECT

public:
    explicit LivePanel(SubsModel& subs, QWidget* parent = nullptr);

    LiveWatch& watch() { return m_watch; }
    QTableWidget& table() { return *m_table; }
    QCustomPlot& plot() { return *m_plot; }
    QLabel& words() { return *m_words; }
    QString text() const; ///< the table, tab-separated
    void setZone(const QTimeZone& zone);
    void themeChanged();

signals:
    void told(const QString& sentence);

private:
    void fill();
    void fillPlot();
    int pairAt(int row) const;
    bool eventFilter(QObject* of, QEvent* event) override;
    LiveWatch m_watch;
    QTimeZone m_zone;
    QLabel *m_head, *m_words;
    QTableWidget* m_table;
    QCustomPlot* m_plot;
};

} // namespace caelumen
