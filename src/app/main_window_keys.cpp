#include "app/bench/bench.h"
#include "app/log/log_room.h"
#include "app/main_window.h"
#include "app/subs/subs.h"

#include <QDialog>
#include <QHeaderView>
#include <QMenuBar>
#include <QTableWidget>
#include <QVBoxLayout>

#include <functional>

namespace caelumen {

/// The keys of the screen in sight, then those of the whole window.
void MainWindow::showKeys() {
    if (!m_keys) {
        m_keys = new QDialog(this);
        auto* table = new QTableWidget(0, 2);
        table->horizontalHeader()->setStretchLastSection(true);
        table->horizontalHeader()->hide();
        table->verticalHeader()->hide();
        table->setShowGrid(false);
        table->setEditTriggers(QAbstractItemView::NoEditTriggers);
        table->setSelectionMode(QAbstractItemView::NoSelection);
        auto* layout = new QVBoxLayout(m_keys);
        layout->addWidget(table);
        m_keys->resize(560, 520);
    }
    auto* table = m_keys->findChild<QTableWidget*>();
    table->setRowCount(0);
    const auto row = [&](const QString& key, const QString& text) {
        const int r = table->rowCount();
        table->insertRow(r);
        table->setItem(r, 0, new QTableWidgetItem(key));
        table->setItem(r, 1, new QTableWidgetItem(text));
    };
    const auto actions = [&](const auto& all) {
        for (const QAction* a : all)
            if (!a->shortcut().isEmpty()) row(a->shortcut().toString(QKeySequence::NativeText), a->text());
    };
    switch (workspace()) {
    case Workspace::Bench:
        row(tr("B held"), tr("The baseline, for as long"));
        row(tr("Left, Right"), tr("In the picture: the run before or after; move the chosen region by a pixel (with Shift by ten)"));
        row(tr("Shift with Left, Right"), tr("In the picture: the curtain's edge"));
        row(tr("Wheel"), tr("Zoom about the cursor"));
        row(tr("Return, double click"), tr("Close the outline that is being drawn"));
        row(tr("Escape"), tr("Put the tool away, or let go of the region"));
        row(tr("Up, Down, Return"), tr("In a score: choose a run, and its evidence"));
        actions(m_bench->tools().keyActions());
        break;
    case Workspace::Subs:
        actions(m_subs->keyActions());
        break;
    case Workspace::SkyGrid:
        row(tr("Arrows, Return"), tr("Choose a cell; open its trial on the Bench"));
        row(tr("Space"), tr("The other predicted picture"));
        break;
    case Workspace::Palette:
        row(tr("Left, Right, 1 \u2026 9"), tr("Flip between the pictures"));
        row(tr("Space held"), tr("The first picture, for as long"));
        row(tr("C"), tr("A curtain between two pictures"));
        row(tr("Up, Down"), tr("The picture left of the curtain"));
        row(tr("Shift with Left, Right"), tr("The curtain's edge"));
        row(tr("Z, double click, wheel"), tr("Pixel by pixel"));
        break;
    case Workspace::Verdict:
        row(tr("Arrows, Return"), tr("Choose a filter; open its trial on the Bench"));
        break;
    case Workspace::Log:
        row(tr("Arrows, Return"), tr("Choose a run; open it on the Bench"));
        row(tr("Ctrl with a click"), tr("Choose a second run, to compare both"));
        actions(m_log->keyActions());
        break;
    default:
        break;
    }
    std::function<void(const QMenu*)> walk = [&](const QMenu* menu) {
        for (const QAction* a : menu->actions()) {
            if (a->menu())
                walk(a->menu());
            else if (!a->shortcut().isEmpty() && a->isEnabled())
                row(a->shortcut().toString(QKeySequence::NativeText), QString(a->text()).remove('&').remove(QString::fromUtf8(" \u2026")));
        }
    };
    for (const QAction* a : menuBar()->actions())
        if (a->menu()) walk(a->menu());
    table->resizeColumnsToContents();
    m_keys->setWindowTitle(tr("Keys: %1").arg(m_switch[static_cast<int>(workspace())]->text()));
    m_keys->show();
    m_keys->raise();
}

} // namespace caelumen
