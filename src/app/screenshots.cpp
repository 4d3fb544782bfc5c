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

/// Goes through the demo as a person would, and keeps a picture of each screen.
class Tour {
public:
    Tour(MainWindow& window, const QString& folder)
        : m_window(window)
        , m_session(window.session())
        , m_bench(window.bench())
        , m_folder(folder) {}

    int failures() {
        m_window.setTheme(ThemeKind::Grey);
        m_window.resize(1280, 800);
        m_window.show();
        kit();
        night();
        subs();
        bench();
        skyGrid();
        palette();
        verdict();
        log();
        otherRooms();
        return m_failures;
    }

private:
    using Workspace = MainWindow::Workspace;

    template<class Ready>
    void expect(Ready ready, int seconds) {
        if (!waitFor(ready, seconds)) ++m_failures;
    }
    void shoot(const QString& name, QWidget* of = nullptr) {
        for (int i = 0; i < 5; ++i) QApplication::processEvents();
        m_bench.view().finish();
        const QString path = m_folder + "/" + name + ".png";
        if ((of ? of : &m_window)->grab().save(path)) return;
        std::fprintf(stderr, "caelumen: %s could not be written.\n", qPrintable(path));
        ++m_failures;
    }
    void trial(int index) {
        const auto list = m_session.trials();
        if (index < static_cast<int>(list.size())) m_session.showTrial(list[static_cast<std::size_t>(index)].id);
        expect([&] { return m_session.results() && m_session.resultsAreCurrent() && !m_session.jobs().busy(); }, 180);
    }

    void kit() {
        m_window.showWorkspace(Workspace::Kit);
        trial(0);
        m_window.kit().chooseFilter("duo3");
        m_window.kit().ratioSlider().setValue(74);
        shoot("kit");
        const StarterFilter& printed = starterFilters()[3];
        ChartDialog chart(printedChart(printed.curve), QString::fromStdString(printed.name), &m_window);
        if (!showChart(chart, printed.curve)) ++m_failures;
        shoot("kit-chart", &chart);
        chart.hide();
    }

    void night() {
        m_window.showWorkspace(Workspace::Night);
        Night& night = m_window.night();
        expect([&] { return !night.model().suggestions().empty(); }, 30);
        shoot("night");
        night.tabs().setCurrentIndex(1);
        expect([&] { return !night.month().nights().empty(); }, 60);
        shoot("night-month");
        night.tabs().setCurrentIndex(0);
    }

    void subs() {
        m_window.showWorkspace(Workspace::Subs);
        Subs& subs = m_window.subs();
        trial(1);
        expect([&] { return subs.model().judged(); }, 120);
        subs.showSub(5);
        expect([&] { return !subs.model().picture(5).isNull(); }, 30);
        shoot("subs");
    }

    void bench() {
        trial(0);
        m_window.showWorkspace(Workspace::Bench);
        m_bench.showEvidence("background", "E");
        m_bench.evidence().kindBox()->setCurrentIndex(1);
        emit m_bench.evidence().kindBox()->activated(1);
        m_bench.hideMarks();
        m_bench.view().fitFrame();
        m_bench.tools().levels()->setChecked(true);
        m_bench.view().setMode(FrameView::Mode::Tiles);
        shoot("bench-tiles");
        m_bench.tools().levels()->setChecked(false);
        m_bench.view().setMode(FrameView::Mode::One);
        trial(1);
        m_bench.showEvidence("halo", "C");
        shoot("bench-halo-evidence");
        m_bench.beginBlindLook(5); // the same order in every picture
        m_bench.view().fitFrame();
        shoot("bench-blind");
        m_bench.endBlindLook();
        trial(2);
        m_bench.showEvidence("nebula", "B");
        m_bench.hideMarks();
        m_bench.view().fitFrame();
        shoot("bench");
    }

    void skyGrid() {
        m_window.showWorkspace(Workspace::SkyGrid);
        SkyGrid& grid = m_window.skyGrid();
        expect([&] { return grid.model().grid() && !grid.model().busy(); }, 180);
        grid.map().select(4 + 9);
        expect([&] { return !grid.model().busy(); }, 60);
        shoot("sky-grid");
        grid.tabs().setCurrentIndex(3);
        expect([&] { return !grid.model().busy(); }, 60);
        shoot("sky-grid-picture");
        grid.tabs().setCurrentIndex(0);
    }

    void palette() {
        m_window.showWorkspace(Workspace::Palette);
        trial(1);
        PaletteRoom& palette = m_window.palette();
        expect([&] { return !palette.model().shots().empty() && !palette.model().busy(); }, 180);
        shoot("palette");
        palette.model().exportRecipes("B", m_folder + "/palette-recipes.png");
        expect([&] { return !palette.model().busy(); }, 120);
        palette.panel().timeBox().setCurrentIndex(1);
        palette.panel().hoursSlider().setValue(25); // half an hour
        expect([&] { return !palette.model().busy(); }, 180);
        palette.view().setAlone(1);
        palette.view().setCurtain(true);
        shoot("palette-curtain");
        palette.view().setAlone(-1);
        palette.panel().timeBox().setCurrentIndex(0);
        palette.model().setTime(PaletteTime::AsItWas, 2);
    }

    void verdict() {
        m_window.showWorkspace(Workspace::Verdict);
        VerdictRoom& verdict = m_window.verdict();
        const auto judged = [&] { return verdict.model().verdict() && !verdict.model().busy() && !verdict.report().busy(); };
        expect(judged, 180);
        Profile profile = verdict.model().profile();
        profile.owned = "veldglow", profile.budget = 450, profile.currency = "EUR";
        verdict.model().setProfile(profile, "demo");
        expect(judged, 60);
        shoot("verdict");
        verdict.tabs().setCurrentIndex(3);
        expect([&] { return verdict.report().sheets() > 0 && judged(); }, 120);
        shoot("verdict-report");
        verdict.tabs().setCurrentIndex(0);
    }

    /// The log holds what was measured, of all trials, once each of them is.
    void log() {
        trial(2);
        m_window.showWorkspace(Workspace::Log);
        LogRoom& log = m_window.log();
        expect(
            [&] {
                const auto& runs = log.model().all();
                return runs.size() >= 13 && std::all_of(runs.begin(), runs.end(), [](const LogEntry& e) { return !e.figures.empty(); }) &&
                       !log.model().jobs().busy() && !m_session.jobs().busy() && !m_window.verdict().model().busy();
            },
            60);
        shoot("log");
    }

    void otherRooms() {
        m_window.showWorkspace(Workspace::Bench);
        m_window.setTheme(ThemeKind::Red);
        m_bench.showEvidence("gradient", "B");
        m_bench.view().setRatio(true);
        expect([&] { return !m_window.log().model().jobs().busy(); }, 30);
        shoot("bench-red");
        m_bench.view().setRatio(false);
        m_window.setTheme(ThemeKind::Grey);
        QTemporaryDir scratch;
        m_window.openCampaign(scratch.path() + "/nothing-yet.caelumen");
        shoot("bench-empty");
    }

    MainWindow& m_window;
    Session& m_session;
    Bench& m_bench;
    QString m_folder;
    int m_failures = 0;
};

} // namespace

int takeScreenshots(MainWindow& window, const QString& folder) {
    if (QDir().mkpath(folder)) return Tour(window, folder).failures() == 0 ? 0 : 1;
    std::fprintf(stderr, "caelumen: %s cannot be made; choose another folder.\n", qPrintable(folder));
    return 1;
}

} // namespace caelumen
