#include "app/bench/bench.h"
#include "app/main_window.h"
#include "app/session.h"
#include "app/widgets/prompts.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QThread>

#include <cstdio>
#include <functional>

using namespace caelumen;

/// bench_window FRAME...: frames taken into an empty campaign of the real window; seconds to the first picture, to all pictures, to scores and to scores with
/// regions that the program proposes; then flipping, panning and zooming in a window of 1280 x 800: how long the interface thread paints, and after how long
/// the picture of the new place is there. QT_QPA_PLATFORM=offscreen where there is no screen.
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
    FrameView& view = window.bench().view();
    view.finish();
    window.resize(1280, 800);
    QApplication::processEvents();
    struct Step {
        const char* name;
        std::function<void(int)> make;
    };
    const QRectF room = view.pictureOf(view.current());
    const auto pan = [&](int i) {
        const QPointF from = room.center(), to = from + QPointF(i % 2 ? 37 : -37, i % 3 ? 23 : -23);
        QMouseEvent press(QEvent::MouseButtonPress, from, view.mapToGlobal(from), Qt::MiddleButton, Qt::MiddleButton, Qt::NoModifier),
            move(QEvent::MouseMove, to, view.mapToGlobal(to), Qt::NoButton, Qt::MiddleButton, Qt::NoModifier),
            release(QEvent::MouseButtonRelease, to, view.mapToGlobal(to), Qt::MiddleButton, Qt::NoButton, Qt::NoModifier);
        for (QMouseEvent* e : {&press, &move, &release}) QApplication::sendEvent(&view, e);
    };
    for (const Step& step :
         {Step{"flip", [&](int) { view.flip(1); }}, Step{"zoom", [&](int i) { view.zoomTo(view.zoom() * (i % 2 ? 0.8 : 1.25), room.center()); }},
          Step{"pan", pan}, Step{"curtain's edge", [&](int i) { view.setMode(FrameView::Mode::Curtain), view.setEdge(0.3 + 0.01 * (i % 40)); }},
          Step{"tiles, pan", [&](int i) { view.setMode(FrameView::Mode::Tiles), pan(i); }}}) {
        double paint = 0, worst = 0, fresh = 0;
        constexpr int kSteps = 40;
        for (int i = 0; i < kSteps; ++i) {
            QElapsedTimer one;
            one.start();
            step.make(i);
            view.repaint();
            const double took = static_cast<double>(one.nsecsElapsed()) / 1e6;
            paint += took / kSteps;
            worst = std::max(worst, took);
            view.finish();
            fresh += static_cast<double>(one.nsecsElapsed()) / 1e6 / kSteps;
        }
        std::printf("%s: painted in %.1f ms (worst %.1f), all pictures of the place there after %.1f ms\n", step.name, paint, worst, fresh);
    }
    return proposed < 0;
}
