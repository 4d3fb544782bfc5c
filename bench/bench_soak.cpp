/// Eight virtual hours of a watched folder, speeded up: thousands of subs land, and none may be missed; memory must stay flat and the window must answer.
/// QT_QPA_PLATFORM=offscreen bench_soak [SUBS]
#include "app/application.h"
#include "app/main_window.h"
#include "app/subs/live_panel.h"
#include "app/subs/subs.h"
#include "core/base/statistics.h"
#include "core/simulate/demo.h"
#include "core/simulate/virtual_subs.h"
#include "core/sky/night_track.h"

#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QThread>
#include <QTimer>

#include <atomic>
#include <cstdio>

using namespace caelumen;

namespace {

double memory_MB() {
    QFile status("/proc/self/status");
    if (!status.open(QIODevice::ReadOnly)) return 0;
    for (const QByteArray& line : status.readAll().split('\n'))
        if (line.startsWith("VmRSS:")) return line.mid(6).trimmed().split(' ').first().toDouble() / 1024;
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    Application app(argc, argv);
    QCoreApplication::setOrganizationName("CaelumenSoak");
    QDir(QStandardPaths::writableLocation(QStandardPaths::CacheLocation)).removeRecursively();
    const int subs = argc > 1 ? std::atoi(argv[1]) : 5000, each = subs / 2;
    QTemporaryDir folder;
    MainWindow window;
    window.openCampaign(folder.filePath("soak.caelumen"));
    window.showWorkspace(MainWindow::Workspace::Subs);
    window.show();

    const SimulatedTrial garden = demoTrials()[1];
    std::vector<VirtualRun> runs;
    for (const SceneFilter& f : demoFilters())
        if (f.id == "open" || f.id == "duo7")
            runs.push_back(virtualRun(f, SceneCamera::Mosaic, 360, 240, each, 4, "", garden.trial.site, garden.trial.target, 120));
    const QString watched = folder.filePath("capture");
    QDir().mkpath(watched);
    for (VirtualRun& run : runs) {
        VirtualRun frames = run;
        frames.subs.clear();
        (void)writeVirtualRun(frames, (watched + "/calibration/" + QString::fromStdString(run.scene.id)).toStdString(), {2, 2, 2});
        QFile::remove(watched + "/calibration/" + QString::fromStdString(run.scene.id) + "/subs.json");
    }
    window.subs().model().watch(watched);
    std::atomic<int> landed = 0;
    std::unique_ptr<QThread> camera(QThread::create([&] {
        JulianDate now = *parseTime("2026-07-01T16:50:00Z");
        std::vector<std::size_t> taken(runs.size(), 0);
        for (int i = 0; i < subs; ++i) {
            const std::size_t r = static_cast<std::size_t>((i / 10 + 1) / 2 % 2); // A B B A in tens
            VirtualRun& run = runs[taken[r] < static_cast<std::size_t>(each) ? r : 1 - r];
            const std::size_t k = taken[static_cast<std::size_t>(&run - runs.data())]++;
            takeAt(run, run.subs[k], isoTime(now));
            now = now.plusSeconds(5.8); // eight hours for five thousand
            const QString name = QString("%1/%2-%3.fits").arg(watched, QString::fromStdString(run.scene.id)).arg(k, 5, 10, QChar('0'));
            if (!writeVirtualSub(run, k, name.toStdString())) std::puts("a sub could not be written");
            ++landed;
            QThread::msleep(10);
        }
    }));
    camera->start();

    // How late a timer of 5 ms comes is how long the window did not answer.
    std::vector<double> late;
    QElapsedTimer since, all;
    all.start(), since.start();
    QTimer tick;
    tick.setInterval(5);
    tick.setTimerType(Qt::PreciseTimer);
    QObject::connect(&tick, &QTimer::timeout, [&] {
        late.push_back(std::max(0.0, static_cast<double>(since.nsecsElapsed()) / 1e6 - 5));
        since.restart();
    });
    tick.start();
    const auto judged = [&] {
        int n = 0;
        for (std::size_t g = 0; g < window.subs().model().groups().size(); ++g)
            if (const SubsRun* run = window.subs().model().runOf(static_cast<int>(g)); run && run->judged) n += static_cast<int>(run->run.subs.size());
        return n;
    };
    std::printf("| after s | landed | judged | memory, MB |\n| --- | --- | --- | --- |\n");
    double next = 0;
    while (judged() < subs && all.elapsed() < (argc > 2 ? 1000 * std::atoi(argv[2]) : 3'600'000)) {
        QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
        if (static_cast<double>(all.elapsed()) / 1000 < next) continue;
        std::printf("| %.0f | %d | %d | %.0f |\n", static_cast<double>(all.elapsed()) / 1000, landed.load(), judged(), memory_MB());
        std::fflush(stdout);
        next += 30;
    }
    camera->wait();
    const int missed = subs - judged();
    for (std::size_t g = 0; g < window.subs().model().groups().size(); ++g)
        if (const SubsRun* run = window.subs().model().runOf(static_cast<int>(g)); run && run->hopeless) std::printf("A run cannot be judged.\n");
    std::printf("| %.0f | %d | %d | %.0f |\n\n", static_cast<double>(all.elapsed()) / 1000, landed.load(), judged(), memory_MB());
    std::printf("Missed: %d. The window answered within %.0f ms in 95 %% of cases, %.0f ms in 99 %%, %.0f ms at worst.\n", missed, quantile(late, 0.95),
                quantile(late, 0.99), quantile(late, 1));
    std::puts(window.subs().live().text().toUtf8().constData());
    return missed == 0 ? 0 : 1;
}
