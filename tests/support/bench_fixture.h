#pragma once

#include "app/bench/bench.h"
#include "support/window_fixture.h"

namespace caelumen {

/// The Bench, with frames at hand that nobody has dropped yet.
class BenchFixture : protected WindowFixture {
protected:
    Bench& bench() { return m_window->bench(); }
    bool settled() {
        return QTest::qWaitFor([&] { return session().results() && session().resultsAreCurrent() && !session().jobs().busy(); }, 120'000);
    }
    const Region* region(const std::string& id) {
        for (const Region& r : session().trial().regions)
            if (r.id == id) return &r;
        return nullptr;
    }
    QPoint viewOf(Point p) { return bench().view().transform().map(QPointF(p.x, p.y)).toPoint(); }

    void makeScene(int width) {
        useOwnSettings();
        QVERIFY(writeTrial(threeFilters(width), m_folder.path()).ok());
    }

    void openWindow() {
        newCampaign();
        m_window->showWorkspace(MainWindow::Workspace::Bench);
    }
};

} // namespace caelumen
