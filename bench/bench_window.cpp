#include "app/main_window.h"
#include "app/session.h"
#include "app/widgets/prompts.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QThread>

#include <cstdio>

using namespace caelumen;

/// bench_window FRAME...: frames taken into an empty campaign of the real window; seconds to the first picture, to all pictures, to scores and to scores with
/// regions that the program proposes. QT_QPA_PLATFORM=offscreen where there is no screen.
int main(int argc, char** argv) {
    QApplication app(argc, argv);
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName("CaelumenBench");
    QTemporaryDir scratch;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, scratch.filePath("settings"));
    QStringList frames;
    for (int i = 1; i < argc; ++i) frames << QString::fromLocal8Bit(argv[i]);
    MainWindow window(std::make_unique<Prompts>());
    window.show();
    window.openCampaign(scratch.filePath("bench.caelumen"));
    Session& session = window.session();
    QElapsedTimer clock;
    double first = -1, all = -1, scores = -1, proposed = -1, longest = 0;
    const auto seconds = [&] { return static_cast<double>(clock.elapsed()) / 1000; };
    const auto look = [&] {
        std::size_t there = 0;
        for (const Run& r : session.trial().runs) there += session.picture(QString::fromStdString(r.id)) != nullptr;
        if (there > 0 && first < 0) first = seconds();
        if (there > 0 && there == session.trial().runs.size() && all < 0) all = seconds();
        if (session.results() && scores < 0) scores = seconds();
        if (session.results() && session.resultsAreCurrent() && !session.trial().regions.empty() && proposed < 0) proposed = seconds();
    };
    clock.start();
    session.takeFrames(frames, false);
    while ((all < 0 || proposed < 0) && seconds() < 300) {
        QElapsedTimer one;
        one.start();
        QApplication::processEvents(QEventLoop::AllEvents, 5);
        longest = std::max(longest, static_cast<double>(one.elapsed()) / 1000 - 0.005);
        look();
        QThread::msleep(2); // a hand at rest leaves both cores to the work
    }
    std::printf("first picture %.2f s, all pictures %.2f s, first scores %.2f s, scores with proposed regions %.2f s, longest event %.3f s\n", first, all,
                scores, proposed, longest);
    return proposed < 0;
}
