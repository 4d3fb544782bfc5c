/// Ten thousand runs of twenty years: how long the log takes to read them, to find some by words, to sort and to draw. QT_QPA_PLATFORM=offscreen bench_log
/// [RUNS]
#include "app/application.h"
#include "app/log/hours_page.h"
#include "app/log/log_room.h"
#include "app/log/timeline_plot.h"
#include "app/session.h"
#include "app/widgets/prompts.h"
#include "core/base/statistics.h"

#include <QDate>
#include <QElapsedTimer>
#include <QFile>
#include <QHeaderView>
#include <QLineEdit>
#include <QScrollBar>
#include <QStandardPaths>
#include <QTabWidget>
#include <QTableView>

#include <cstdio>

using namespace caelumen;

namespace {

std::vector<LogEntry> years(int runs) {
    Random random(5);
    std::vector<LogEntry> out;
    for (int i = 0; i < runs; ++i) {
        LogEntry e;
        e.uid = "run-" + std::to_string(i);
        e.campaign = "/club/" + std::to_string(i / 500) + ".caelumen", e.trial = "Trial " + std::to_string(i / 5),
        e.run = std::string(1, static_cast<char>('A' + i % 5));
        e.filter = "Filter " + std::to_string(random.index(24)), e.kind = i % 3 ? "dual-band" : "none";
        e.target.name = "NGC " + std::to_string(1000 + random.index(120));
        e.place = "Place " + std::to_string(random.index(12)), e.bortle = 1 + static_cast<int>(random.index(9));
        e.moonIlluminated = random.uniform(), e.moonAltitude_deg = 90 * random.uniform() - 45;
        e.rig = "Telescope " + std::to_string(random.index(6));
        e.night = QDate(2006, 1, 1).addDays(static_cast<qint64>(random.index(7300))).toString(Qt::ISODate).toStdString();
        e.total_s = 600 + 14'000 * random.uniform(), e.notes = i % 40 ? "" : "dew after midnight";
        for (const char* q : {"time_ratio", "background", "halo_clean_mag", "star_throughput", "gradient", "star_fwhm"})
            e.figures.push_back({q, "R", 10 * random.uniform(), 0.1, false, false});
        out.push_back(std::move(e));
    }
    return out;
}

template<class Work>
void timed(const char* what, Work work) {
    std::vector<double> times;
    for (int i = 0; i < 5; ++i) {
        QElapsedTimer t;
        t.start();
        work(i);
        times.push_back(static_cast<double>(t.nsecsElapsed()) / 1e6);
    }
    std::printf("%-46s %8.1f ms\n", what, median(std::span<double>(times)));
}

} // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    Application app(argc, argv);
    QCoreApplication::setOrganizationName("CaelumenBench");
    const int runs = argc > 1 ? std::atoi(argv[1]) : 10'000;
    for (const char* more : {"", "-wal", "-shm"}) QFile::remove(LogStore::defaultPath() + more);
    const auto entries = years(runs);
    {
        auto store = LogStore::open(LogStore::defaultPath());
        if (!store) return std::puts(store.error().message.c_str()), 1;
        QElapsedTimer t;
        t.start();
        if (!(*store)->put(entries)) return 1;
        std::printf("%-46s %8.1f ms\n", "written", static_cast<double>(t.elapsed()));
        timed("read (away from the window)", [&](int) { (void)(*store)->entries(); });
        timed("found by two words", [&](int i) { (void)(*store)->find(parseLogQuery("filter:\"Filter " + std::to_string(i) + "\" moon:full")); });
    }
    Session session;
    Prompts prompts;
    LogRoom room(session, prompts);
    room.resize(1280, 760);
    QElapsedTimer t;
    t.start();
    room.show();
    while (room.model().all().size() < entries.size()) QApplication::processEvents(QEventLoop::AllEvents, 5);
    std::printf("%-46s %8.1f ms\n", "first table in the window", static_cast<double>(t.elapsed()));
    timed("a search, table filled and painted", [&](int i) {
        room.model().setQuery(i % 2 ? "filter:\"Filter 3\"" : "moon:full sky:\"bortle 5\"");
        room.table().grab();
    });
    room.model().setQuery("");
    timed("sorted by another column, painted", [&](int i) {
        room.rows().sort(i % 2 ? LogTable::Faster : LogTable::TargetName, Qt::AscendingOrder);
        room.table().grab();
    });
    timed("scrolled by a page", [&](int) {
        room.table().verticalScrollBar()->triggerAction(QAbstractSlider::SliderPageStepAdd);
        room.table().grab();
    });
    room.tabs().setCurrentIndex(1);
    timed("timeline filled and painted", [&](int) {
        room.timeline().fill();
        room.timeline().grab();
    });
    room.tabs().setCurrentIndex(2);
    timed("hours by filter and moon", [&](int) { room.hours().fill(); });
    return 0;
}
