#pragma once

#include "app/subs/subs.h"
#include "core/simulate/demo.h"
#include "core/simulate/virtual_subs.h"
#include "support/window_fixture.h"

#include <QAction>
#include <QDateTime>
#include <QPushButton>

#include <fstream>

namespace caelumen {

/// The Subs in the real window, with a folder "capture": two short runs with their darks, flats and biases, and a file that is none.
class SubsFixture : protected WindowFixture {
protected:
    Subs& subs() { return m_window->subs(); }
    SubsModel& model() { return subs().model(); }
    bool keeps(int sub) { return model().run().subs[static_cast<std::size_t>(sub)].keep; }
    QPushButton* button(const QString& text) {
        for (QPushButton* b : subs().findChildren<QPushButton*>())
            if (b->text().startsWith(text)) return b;
        return nullptr;
    }
    template<class T>
    T* named(const QString& name) {
        return byName<T>(subs(), name);
    }
    QAction* action(const QString& text) {
        for (QAction* a : m_window->findChildren<QAction*>())
            if (a->text().startsWith(text)) return a;
        return nullptr;
    }
    void takeIn() {
        dropOn(*m_window, {at("capture")});
        QTRY_VERIFY2_WITH_TIMEOUT(model().judged(), qPrintable(problemIn(*m_window) + subs().summary().text()), 20'000);
    }

    void makeScene() {
        useOwnSettings();
        Site garden;
        garden.latitude_deg = -34, garden.longitude_deg = 22.4, garden.bortle = 5;
        double later = 0;
        for (const char* id : {"open", "duo7"})
            for (const SceneFilter& f : demoFilters()) {
                if (f.id != id) continue;
                const QString start = QDateTime(QDate(2026, 6, 21), QTime(17, 20), Qt::UTC).addSecs(static_cast<qint64>(later)).toString(Qt::ISODate);
                VirtualRun run = virtualRun(f, SceneCamera::Mosaic, 480, 320, 6, 5, start.toStdString(), garden, {"IC 2944", 174.5, -63.0});
                run.subs[2].transparency *= 0.5;
                QVERIFY(writeVirtualRun(run, at(QString("capture/%1").arg(id)).toStdString(), {3, 3, 3}).ok());
                later += 2000;
            }
        std::ofstream(at("capture/broken.fits").toStdString()) << "SIMPLE  = no";
    }

    void openWindow() {
        newCampaign();
        QTest::keyClick(m_window.get(), Qt::Key_3, Qt::AltModifier);
        QCOMPARE(m_window->workspace(), MainWindow::Workspace::Subs);
    }
};

} // namespace caelumen
