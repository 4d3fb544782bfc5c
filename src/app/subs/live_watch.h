#pragma once

#include "app/job_service.h"
#include "core/live/live_stop.h"
#include "core/live/time_left.h"

#include <QObject>
#include <QTimer>

namespace caelumen {

class SubsModel;

/// What the night in hand has told of its filters so far: followed as subs are judged, away from the interface thread.
class LiveWatch : public QObject {
    Q_OBJECT

public:
    explicit LiveWatch(SubsModel& subs, QObject* parent = nullptr);

    const LiveNight& night() const { return m_night; }
    const LiveStop& stop() const { return m_stop; }
    const std::optional<TimeLeft>& left() const { return m_left; }
    bool busy() const { return m_jobs.busy(); }

signals:
    void changed();
    void toldApart(const QString& sentence); ///< something that was open a moment ago

private:
    void follow();
    SubsModel& m_subs;
    JobService m_jobs;
    QTimer m_delay; ///< several signals of one sub are one
    StarLight m_light;
    QString m_of; ///< night and target
    Site m_site;
    Target m_target;
    LiveNight m_night;
    LiveStop m_stop;
    std::optional<TimeLeft> m_left;
};

} // namespace caelumen
