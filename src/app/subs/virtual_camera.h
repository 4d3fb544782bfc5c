#pragma once

#include "app/job_service.h"
#include "core/simulate/virtual_subs.h"

#include <QObject>
#include <QTimer>

namespace caelumen {

/// A camera that is not there: drops subs of a made-up night into a folder at any pace, first its darks, flats and biases. A cloud passes, satellites cross,
/// focus is lost and found again, the moon comes up. So live use can be tried, taught and tested without hardware.
class VirtualCamera : public QObject {
    Q_OBJECT

public:
    explicit VirtualCamera(QObject* parent = nullptr);

    /// `filters`: ids of the demo's, `subs` of each. With `perBlock` they are swapped after so many, there and back again (A B B A); else one follows the
    /// other. `pace_s`: between two subs.
    void start(const QString& folder, const QStringList& filters, int subs, double pace_s, unsigned long long seed = 1, int width = 1200, int perBlock = 0);
    void stop();
    bool running() const { return m_running; }
    void setPace(double seconds);
    double pace() const { return m_pace; }
    QString folder() const { return m_folder; }
    int taken() const { return m_taken; }
    int planned() const { return static_cast<int>(m_shots.size()); }

signals:
    void changed();
    void problem(const QString& sentence);

private:
    void next();

    JobService m_jobs;
    QTimer m_timer;
    struct Shot {
        std::shared_ptr<const VirtualRun> run;
        std::size_t sub = 0;
    };
    static std::vector<Shot> inBlocks(const std::vector<std::shared_ptr<VirtualRun>>& runs, int perBlock);
    std::vector<Shot> m_shots; ///< in the order in which they are taken
    QString m_folder;
    double m_pace = 3;
    int m_taken = 0;
    bool m_running = false;
};

} // namespace caelumen
