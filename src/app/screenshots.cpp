#include "app/screenshots.h"

#include "app/bench/bench.h"
#include "app/bench/evidence_plot.h"
#include "app/grid/sky_grid.h"
#include "app/kit/chart_dialog.h"
#include "app/kit/kit.h"
#include "app/log/log_room.h"
#include "app/main_window.h"
#include "app/night/calendar_view.h"
#include "app/night/night.h"
#include "app/palette/palette.h"
#include "app/palette/palette_panel.h"
#include "app/palette/palette_view.h"
#include "app/subs/subs.h"
#include "app/verdict/report_panel.h"
#include "app/verdict/verdict_room.h"
#include "core/optics/starter.h"

#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QElapsedTimer>
#include <QPainter>
#include <QPixmap>
#include <QSlider>
#include <QTabWidget>
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

QPointF chartPlace(double nm, double t) {
    return {110 + (nm - 420) * 3.1, 650 - 560 * t};
}

/// The chart of a made-up filter as a test report prints it.
QImage printedChart(const Curve& curve) {
    QImage image(1080, 740, QImage::Format_RGB32);
    image.fill(QColor(250, 249, 244));
    QPainter p(&image);
    p.setPen(QPen(QColor(220, 218, 210), 1));
    for (int nm = 420; nm <= 720; nm += 20) p.drawLine(chartPlace(nm, 0), chartPlace(nm, 1));
    for (int t = 0; t <= 10; ++t) p.drawLine(chartPlace(420, t / 10.0), chartPlace(720, t / 10.0));
    p.setPen(Qt::black);
    p.drawRect(QRectF(chartPlace(420, 1), chartPlace(720, 0)));
    for (int nm = 420; nm <= 720; nm += 60) p.drawText(QRectF(chartPlace(nm, 0) + QPointF(-30, 6), QSizeF(60, 20)), Qt::AlignHCenter, QString::number(nm));
    for (int t = 0; t <= 100; t += 20)
        p.drawText(QRectF(chartPlace(420, t / 100.0) + QPointF(-60, -10), QSizeF(52, 20)), Qt::AlignRight | Qt::AlignVCenter, QString::number(t) + " %");
    p.drawText(QRectF(110, 690, 930, 30), Qt::AlignHCenter, "wavelength (nm)");
    p.setRenderHint(QPainter::Antialiasing);
    QPolygonF line;
    for (double nm = 421; nm <= 719; nm += 0.1) line << chartPlace(nm, curve.at(nm));
    p.setPen(QPen(QColor(190, 60, 30), 2.4));
    p.drawPolyline(line);
    return image;
}

/// The chart reader with marks set and the line followed.
bool showChart(ChartDialog& dialog, const Curve& curve) {
    dialog.resize(1120, 700);
    dialog.show();
    const auto click = [&](QPointF p) { dialog.clicked({p.x() - 0.5, p.y() - 0.5}); };
    for (QDoubleSpinBox* box : dialog.findChildren<QDoubleSpinBox*>())
        if (box->value() == 400)
            box->setValue(420);
        else if (box->value() == 700)
            box->setValue(720);
    click(chartPlace(420, 0));
    click(chartPlace(720, 0));
    click(chartPlace(420, 0));
    click(chartPlace(420, 1));
    click(chartPlace(590, curve.at(590)));
    return waitFor([&] { return !dialog.curve().empty(); }, 30);
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
    const auto shoot = [&](const QString& name, QWidget* of = nullptr) {
        for (int i = 0; i < 5; ++i) QApplication::processEvents();
        bench.view().finish();
        const QString path = folder + "/" + name + ".png";
        if (!(of ? of : &window)->grab().save(path)) {
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
    trial(0);
    window.kit().chooseFilter("duo3");
    window.kit().ratioSlider().setValue(74);
    shoot("kit");
    const StarterFilter& printed = starterFilters()[3];
    ChartDialog chart(printedChart(printed.curve), QString::fromStdString(printed.name), &window);
    if (!showChart(chart, printed.curve)) ++failures;
    shoot("kit-chart", &chart);
    chart.hide();
    window.showWorkspace(MainWindow::Workspace::Night);
    Night& night = window.night();
    if (!waitFor([&] { return !night.model().suggestions().empty(); }, 30)) ++failures;
    shoot("night");
    night.tabs().setCurrentIndex(1);
    if (!waitFor([&] { return !night.month().nights().empty(); }, 60)) ++failures;
    shoot("night-month");
    night.tabs().setCurrentIndex(0);
    window.showWorkspace(MainWindow::Workspace::Subs);
    Subs& subs = window.subs();
    trial(1);
    if (!waitFor([&] { return subs.model().judged(); }, 120)) ++failures;
    subs.showSub(5);
    if (!waitFor([&] { return !subs.model().picture(5).isNull(); }, 30)) ++failures;
    shoot("subs");
    trial(0);
    window.showWorkspace(MainWindow::Workspace::Bench);
    bench.showEvidence("background", "E");
    bench.evidence().kindBox()->setCurrentIndex(1);
    emit bench.evidence().kindBox()->activated(1);
    bench.hideMarks();
    bench.view().fitFrame();
    bench.tools().levels()->setChecked(true);
    bench.view().setMode(FrameView::Mode::Tiles);
    shoot("bench-tiles");
    bench.tools().levels()->setChecked(false);
    bench.view().setMode(FrameView::Mode::One);
    trial(1);
    bench.showEvidence("halo", "C");
    shoot("bench-halo-evidence");
    bench.beginBlindLook(5); // the same order in every picture
    bench.view().fitFrame();
    shoot("bench-blind");
    bench.endBlindLook();
    trial(2);
    bench.showEvidence("nebula", "B");
    bench.hideMarks();
    bench.view().fitFrame();
    shoot("bench");
    window.showWorkspace(MainWindow::Workspace::SkyGrid);
    SkyGrid& grid = window.skyGrid();
    if (!waitFor([&] { return grid.model().grid() && !grid.model().busy(); }, 180)) ++failures;
    grid.map().select(4 + 9);
    if (!waitFor([&] { return !grid.model().busy(); }, 60)) ++failures;
    shoot("sky-grid");
    grid.tabs().setCurrentIndex(3);
    if (!waitFor([&] { return !grid.model().busy(); }, 60)) ++failures;
    shoot("sky-grid-picture");
    grid.tabs().setCurrentIndex(0);
    window.showWorkspace(MainWindow::Workspace::Palette);
    trial(1);
    PaletteRoom& palette = window.palette();
    if (!waitFor([&] { return !palette.model().shots().empty() && !palette.model().busy(); }, 180)) ++failures;
    shoot("palette");
    palette.model().exportRecipes("B", folder + "/palette-recipes.png");
    if (!waitFor([&] { return !palette.model().busy(); }, 120)) ++failures;
    palette.panel().timeBox().setCurrentIndex(1);
    palette.panel().hoursSlider().setValue(25); // half an hour
    if (!waitFor([&] { return !palette.model().busy(); }, 180)) ++failures;
    palette.view().setAlone(1);
    palette.view().setCurtain(true);
    shoot("palette-curtain");
    palette.view().setAlone(-1);
    palette.panel().timeBox().setCurrentIndex(0);
    palette.model().setTime(PaletteTime::AsItWas, 2);
    window.showWorkspace(MainWindow::Workspace::Verdict);
    VerdictRoom& verdict = window.verdict();
    const auto judged = [&] { return verdict.model().verdict() && !verdict.model().busy() && !verdict.report().busy(); };
    if (!waitFor(judged, 180)) ++failures;
    Profile profile = verdict.model().profile();
    profile.owned = "veldglow", profile.budget = 450, profile.currency = "EUR";
    verdict.model().setProfile(profile, "demo");
    if (!waitFor(judged, 60)) ++failures;
    shoot("verdict");
    verdict.tabs().setCurrentIndex(3);
    if (!waitFor([&] { return verdict.report().sheets() > 0 && judged(); }, 120)) ++failures;
    shoot("verdict-report");
    verdict.tabs().setCurrentIndex(0);
    trial(2);
    window.showWorkspace(MainWindow::Workspace::Bench);
    LogRoom& log = window.log();
    window.showWorkspace(MainWindow::Workspace::Log);
    if (!waitFor([&] { return log.model().all().size() >= 13 && !log.model().jobs().busy(); }, 60)) ++failures;
    waitFor([] { return false; }, 3); // what was measured last is written
    shoot("log");
    window.showWorkspace(MainWindow::Workspace::Bench);
    window.setTheme(ThemeKind::Red);
    bench.showEvidence("gradient", "B");
    bench.view().setRatio(true);
    shoot("bench-red");
    bench.view().setRatio(false);
    window.setTheme(ThemeKind::Grey);
    QTemporaryDir scratch;
    window.openCampaign(scratch.path() + "/nothing-yet.caelumen");
    shoot("bench-empty");
    return failures == 0 ? 0 : 1;
}

} // namespace caelumen
