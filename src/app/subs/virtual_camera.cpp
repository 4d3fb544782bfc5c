#include "app/subs/virtual_camera.h"

#include "app/widgets/paths.h"
#include "core/simulate/demo.h"
#include "core/simulate/demo_subs.h"
#include "core/sky/night_track.h"

namespace caelumen {
namespace fs = std::filesystem;

VirtualCamera::VirtualCamera(QObject* parent)
    : QObject(parent) {
    connect(&m_jobs, &JobService::failed, this, &VirtualCamera::problem);
    m_timer.setSingleShot(true);
    connect(&m_timer, &QTimer::timeout, this, &VirtualCamera::next);
}

int VirtualCamera::planned() const {
    std::size_t n = 0;
    for (const auto& r : m_runs) n += r->subs.size();
    return static_cast<int>(n);
}

void VirtualCamera::start(const QString& folder, const QStringList& filters, int subs, double pace_s, unsigned long long seed, int width) {
    stop();
    m_folder = folder;
    m_pace = pace_s;
    m_taken = 0;
    m_running = true;
    m_runs.clear();
    emit changed();
    m_jobs.run("camera", tr("Virtual camera"), [this, folder, filters, subs, seed, width](const Job& job) -> JobService::Finish {
        const SimulatedTrial garden = demoTrials()[1];
        std::vector<std::shared_ptr<const VirtualRun>> runs;
        double later = 0;
        for (const SceneFilter& f : demoFilters()) {
            if (!filters.contains(QString::fromStdString(f.id))) continue;
            const std::string start = isoTime(parseTime("2026-07-01T16:50:00Z")->plusSeconds(later));
            VirtualRun run = virtualRun(f, SceneCamera::Mosaic, width, width * 2 / 3, subs, seed, start, garden.trial.site, garden.trial.target);
            liven(run, seed + runs.size());
            later += subs * 126 + 420;
            runs.push_back(std::make_shared<const VirtualRun>(std::move(run)));
        }
        if (runs.empty()) return [this] { emit problem(tr("The virtual camera has no such filter.")); };
        // Calibration frames belong to the camera, flats to each filter.
        for (std::size_t i = 0; i < runs.size(); ++i) {
            VirtualRun frames = *runs[i];
            frames.subs.clear();
            const fs::path place = toPath(folder) / "calibration" / frames.scene.filter.id;
            if (job.cancelled()) return {};
            const Status done = writeVirtualRun(frames, place, i == 0 ? VirtualFrames{} : VirtualFrames{0, 6, 0});
            std::error_code ignored;
            fs::remove(place / "subs.json", ignored);
            if (!done)
                return [this, sentence = QString::fromStdString(done.error().message)] {
                    m_running = false;
                    emit problem(sentence);
                    emit changed();
                };
        }
        return [this, runs = std::move(runs)] {
            m_runs = runs;
            next();
        };
    });
}

void VirtualCamera::stop() {
    m_timer.stop();
    m_jobs.cancel();
    if (!m_running) return;
    m_running = false;
    emit changed();
}

void VirtualCamera::setPace(double seconds) {
    m_pace = seconds;
    if (m_timer.isActive()) m_timer.start(static_cast<int>(1000 * m_pace));
}

void VirtualCamera::next() {
    if (!m_running) return;
    int index = m_taken;
    std::size_t r = 0;
    while (r < m_runs.size() && index >= static_cast<int>(m_runs[r]->subs.size())) index -= static_cast<int>(m_runs[r++]->subs.size());
    if (r == m_runs.size()) {
        m_running = false;
        emit changed();
        return;
    }
    m_jobs.run("camera", tr("Virtual camera"), [this, run = m_runs[r], index, folder = m_folder](const Job&) -> JobService::Finish {
        const fs::path file =
            toPath(folder) / QString("%1-%2.fits").arg(QString::fromStdString(run->scene.filter.id)).arg(index + 1, 3, 10, QChar('0')).toStdString();
        const Status done = writeVirtualSub(*run, static_cast<std::size_t>(index), file);
        return [this, failed = done ? QString() : QString::fromStdString(done.error().message)] {
            if (!failed.isEmpty()) {
                m_running = false;
                emit problem(failed);
            } else {
                ++m_taken;
                if (m_running) m_timer.start(static_cast<int>(1000 * m_pace));
            }
            emit changed();
        };
    });
}

} // namespace caelumen
