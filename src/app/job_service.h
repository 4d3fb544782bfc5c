#pragma once

#include "core/base/job.h"

#include <QObject>
#include <QString>

#include <functional>
#include <memory>
#include <stop_token>

namespace caelumen {

/// Runs core work away from the interface thread. Jobs of one lane follow one another; a newer job of the same kind replaces an older one that waits or
/// runs (which is told to stop and whose result is dropped). Signals and results arrive on the interface thread. No exception leaves a job.
class JobService : public QObject {
    Q_OBJECT

public:
    explicit JobService(QObject* parent = nullptr);
    ~JobService() override;

    /// `work` runs in a worker thread and returns what to do with its result on the interface thread.
    using Finish = std::function<void()>;
    using Work = std::function<Finish(const Job&)>;
    void run(const QString& kind, const QString& title, Work work);
    void cancel(); ///< everything that runs or waits
    void cancel(const QString& kind);
    bool busy() const;
    bool busy(const QString& kind) const;

signals:
    void started(const QString& title);
    void progressed(double part, const QString& what, int secondsLeft); ///< secondsLeft < 0: not known yet
    void idle();
    void failed(const QString& sentence); ///< a job, or what was to be done with its result, threw

private:
    struct Task;
    void startNext();
    void finished(const std::shared_ptr<Task>& task, const Finish& finish);
    std::vector<std::shared_ptr<Task>> m_waiting;
    std::shared_ptr<Task> m_running;
};

} // namespace caelumen
