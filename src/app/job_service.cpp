#include "app/job_service.h"

#include "app/application.h"

#include <QElapsedTimer>
#include <QPointer>
#include <QThreadPool>

#include <algorithm>
#include <atomic>

namespace caelumen {

struct JobService::Task {
    QString kind, title;
    Work work;
    std::stop_source stop;
    QElapsedTimer clock;
    bool dropped = false;
};

JobService::JobService(QObject* parent)
    : QObject(parent) {}

JobService::~JobService() {
    cancel();
    QThreadPool::globalInstance()->waitForDone();
}

bool JobService::busy() const {
    return m_running || !m_waiting.empty();
}

bool JobService::busy(const QString& kind) const {
    return (m_running && !m_running->dropped && m_running->kind == kind) ||
           std::any_of(m_waiting.begin(), m_waiting.end(), [&](const auto& t) { return t->kind == kind; });
}

void JobService::cancel() {
    m_waiting.clear();
    if (!m_running) return;
    m_running->stop.request_stop();
    m_running->dropped = true;
}

void JobService::cancel(const QString& kind) {
    std::erase_if(m_waiting, [&](const auto& t) { return t->kind == kind; });
    if (!m_running || m_running->kind != kind) return;
    m_running->stop.request_stop();
    m_running->dropped = true;
}

void JobService::run(const QString& kind, const QString& title, Work work) {
    cancel(kind);
    auto task = std::make_shared<Task>();
    task->kind = kind;
    task->title = title;
    task->work = std::move(work);
    m_waiting.push_back(task);
    if (!m_running) startNext();
}

void JobService::startNext() {
    if (m_waiting.empty()) {
        emit idle();
        return;
    }
    m_running = m_waiting.front();
    m_waiting.erase(m_waiting.begin());
    m_running->clock.start();
    emit started(m_running->title);
    const auto task = m_running;
    const QPointer<JobService> self(this);
    QThreadPool::globalInstance()->start([task, self] {
        Job job;
        job.stop = task->stop.get_token();
        std::atomic<qint64> last{-1000};
        job.progress = [&](double part, const std::string& what) {
            // Not more often than a person can see.
            const qint64 now = task->clock.elapsed();
            if (now - last < 60 && part < 1) return;
            last = now;
            const QString text = QString::fromStdString(what);
            QMetaObject::invokeMethod(self.data(), [self, task, part, text, now] {
                if (!self || task->dropped) return;
                const int left = part > 0.05 && now > 1500 ? static_cast<int>(static_cast<double>(now) / 1000 * (1 - part) / part + 0.5) : -1;
                emit self->progressed(part, text, left);
            });
        };
        Finish finish;
        try {
            finish = task->work(job);
        } catch (...) {
            finish = [self, sentence = sentenceOfException()] { emit self->failed(sentence); };
        }
        QMetaObject::invokeMethod(self.data(), [self, task, finish] {
            if (self) self->finished(task, finish);
        });
    });
}

void JobService::finished(const std::shared_ptr<Task>& task, const Finish& finish) {
    m_running.reset();
    try {
        if (!task->dropped && finish) finish();
    } catch (...) {
        emit failed(sentenceOfException());
    }
    if (!m_running) startNext();
}

} // namespace caelumen
