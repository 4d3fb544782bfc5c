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

/// Gives every sub its time, in blocks that go there and back through the filters, and says in which order they are taken.
std::vector<VirtualCamera::Shot> VirtualCamera::inBlocks(const std::vector<std::shared_ptr<VirtualRun>>& runs, int perBlock) {
    std::vector<Shot> out;
    JulianDate now = *parseTime("2026-07-01T16:50:00Z");
    std::vector<std::size_t> taken(runs.size(), 0);
    bool back = false;
    for (bool more = true; more; back = !back) {
        more = false;
        for (std::size_t k = 0; k < runs.size(); ++k) {
            const std::size_t r = back ? runs.size() - 1 - k : k;
            VirtualRun& run = *runs[r];
            if (taken[r] == run.subs.size()) continue;
            more = true;
            if (!out.empty() && out.back().run != runs[r]) now = now.plusSeconds(perBlock < 10 ? 60 : 420); // a wheel turns fast; hands do not
            for (int i = 0; i < perBlock && taken[r] < run.subs.size(); ++i) {
                takeAt(run, run.subs[taken[r]], isoTime(now));
                out.push_back({runs[r], taken[r]++});
                now = now.plusSeconds(run.scene.sub_exposure_s + 6);
            }
        }
    }
    return out;
}

void VirtualCamera::start(const QString& folder, const QStringList& filters, int subs, double pace_s, unsigned long long seed, int width, int perBlock) {
    stop();
    m_folder = folder;
    m_pace = pace_s;
    m_taken = 0;
    m_running = true;
    m_shots.clear();
    emit changed();
    m_jobs.run("camera", tr("Virtual camera"), [this, folder, filters, subs, seed, width, perBlock](const Job& job) -> JobService::Finish {
        const SimulatedTrial garden = demoTrials()[1];
        std::vector<std::shared_ptr<VirtualRun>> runs;
        for (const SceneFilter& f : demoFilters()) {
            if (!filters.contains(QString::fromStdString(f.id))) continue;
            runs.push_back(
                std::make_shared<VirtualRun>(virtualRun(f, SceneCamera::Mosaic, width, width * 2 / 3, subs, seed, "", garden.trial.site, garden.trial.target)));
        }
        if (runs.empty())
            return [this] {
                m_running = false;
                emit problem(tr("The virtual camera has no such filter."));
                emit changed();
            };
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
        std::vector<Shot> shots = inBlocks(runs, perBlock > 0 ? perBlock : subs);
        for (std::size_t i = 0; i < runs.size(); ++i) liven(*runs[i], seed + i);
        return [this, shots = std::move(shots)] {
            m_shots = shots;
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
    if (m_taken >= planned()) {
        m_running = false;
        emit changed();
        return;
    }
    m_jobs.run("camera", tr("Virtual camera"), [this, shot = m_shots[static_cast<std::size_t>(m_taken)], folder = m_folder](const Job&) -> JobService::Finish {
        const fs::path file =
            toPath(folder) / QString("%1-%2.fits").arg(QString::fromStdString(shot.run->scene.filter.id)).arg(shot.sub + 1, 3, 10, QChar('0')).toStdString();
        const Status done = writeVirtualSub(*shot.run, shot.sub, file);
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
