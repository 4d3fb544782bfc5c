#pragma once

#include <QWidget>

class QCustomPlot;

namespace caelumen {

class LogModel;
class Session;

/// The runs over the years, a line for each filter; larger marks are more hours. Wheel and drag go through time; a click chooses a run.
class TimelinePlot : public QWidget {
    Q_OBJECT

public:
    TimelinePlot(LogModel& log, const Session& session, QWidget* parent = nullptr);
    void fill();
    void choose(const std::string& uid);
    QPoint placeOf(const std::string& uid) const; ///< where its mark is; null where it has no night
    QCustomPlot& plot() { return *m_plot; }

signals:
    void chosen(const std::string& uid);

private:
    struct Mark {
        double day = 0, lane = 0;
        std::string uid;
    };
    void clicked(const QPoint& at);
    void markChosen();
    LogModel& m_log;
    const Session& m_session;
    QCustomPlot* m_plot;
    std::vector<Mark> m_marks;
    std::string m_chosen;
    QString m_of; ///< what the range was chosen for
};

} // namespace caelumen
