#include "app/screenshots.h"

#include "app/bench/bench.h"
#include "app/kit/kit.h"
#include "app/main_window.h"


#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QPixmap>
#include <QSlider>
#include <QTemporaryDir>

#include <cstdio>
#include <functional>

namespace caelumen {
namespace {

bool waitFor(const std::function<bool()>& done, int seconds) {
    QElapsedTimer clock;
    clock.start();
    while (!done() && clock.elapsed() < seconds * 1000) QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents, 50);
    return done();
}

} // namespace

int takeScreenshots(MainWindow& window, const QString& folder) {
    if (!QDir().mkpath(folder)) {
        std::fprintf(stderr, "caelumen: %s cannot be made; choose another folder.\n", qPrintable(folder));
        return 1;
    }
    window.setTheme(ThemeKind::Grey);
    window.resize(1280, 800);
    window.show();
    Session& session = window.session();
    Bench& bench = window.bench();
    const auto settle = [&] { return waitFor([&] { return session.results() && session.resultsAreCurrent() && !session.jobs().busy(); }, 180); };
    int failures = 0;
    const auto shoot = [&](const QString& name) {
        for (int i = 0; i < 5; ++i) QApplication::processEvents();
        const QString path = folder + "/" + name + ".png";
        if (!window.grab().save(path)) {
            std::fprintf(stderr, "caelumen: %s could not be written.\n", qPrintable(path));
            ++failures;
        }
    };
    const auto trial = [&](int index) {
        const auto list = session.trials();
        if (index < static_cast<int>(list.size())) session.showTrial(list[static_cast<std::size_t>(index)].id);
        if (!settle()) ++failures;
    };

    window.showWorkspace(MainWindow::Workspace::Kit);
    trial(1);
    window.kit().chooseFilter("quartet");
    shoot("kit-claims");
    trial(0);
    window.kit().chooseFilter("duo3");
    window.kit().ratioSlider().setValue(40);
    shoot("kit");
    window.showWorkspace(MainWindow::Workspace::Bench);
    bench.view().setOverlay({});
    bench.view().setCurrent("D");
    shoot("bench-roof");
    bench.setStretchMode(Bench::StretchMode::OwnSky);
    shoot("bench-own-sky");
    bench.showEvidence("nebula", "E");
    shoot("bench-nebula-evidence");
    bench.setStretchMode(Bench::StretchMode::Shared);
    bench.showEvidence("background", "B");
    shoot("bench-background-evidence");
    bench.showEvidence("colour", "B");
    shoot("bench-colour-evidence");
    trial(1);
    bench.setStretchMode(Bench::StretchMode::OwnSky);
    bench.showEvidence("halo", "C");
    shoot("bench-halo-evidence");
    bench.showEvidence("gradient", "E");
    bench.view().setOverlay({});
    shoot("bench-fog");
    trial(2);
    bench.view().setOverlay({});
    bench.view().fitFrame();
    bench.view().setCurrent("C");
    shoot("bench-unfair");
    bench.setStretchMode(Bench::StretchMode::Shared);
    bench.showEvidence("nebula", "B");
    bench.view().setOverlay({});
    bench.view().fitFrame();
    shoot("bench");
    window.setTheme(ThemeKind::Light);
    shoot("bench-light");
    window.setTheme(ThemeKind::Red);
    shoot("bench-red");
    window.showWorkspace(MainWindow::Workspace::Kit);
    window.kit().chooseFilter("duo7");
    shoot("kit-red");
    window.showWorkspace(MainWindow::Workspace::Bench);
    window.setTheme(ThemeKind::Grey);
    QTemporaryDir scratch;
    window.openCampaign(scratch.path() + "/nothing-yet.caelumen");
    shoot("bench-empty");
    return failures == 0 ? 0 : 1;
}

} // namespace caelumen
