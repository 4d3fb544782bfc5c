#pragma once

#include <QApplication>
#include <QContextMenuEvent>
#include <QDialog>
#include <QElapsedTimer>
#include <QMenu>
#include <QPointer>
#include <QTest>
#include <QTimer>

namespace caelumen {

/// Answers the next dialog of this kind as soon as it is there, however long that takes on a busy machine. No dialog stays open, whatever the answer does: one
/// that did would keep the test waiting for ever.
template<class Dialog, class Answer>
void whenAsked(Answer answer) {
    auto* look = new QTimer(qApp);
    QElapsedTimer since;
    since.start();
    QObject::connect(look, &QTimer::timeout, look, [look, since, answer] {
        QPointer<QWidget> modal = QApplication::activeModalWidget();
        auto* dialog = qobject_cast<Dialog*>(modal.data());
        if (!dialog && since.elapsed() < 20'000) return;
        look->stop();
        if (dialog) answer(*dialog);
        if (auto* open = qobject_cast<QDialog*>(modal.data()); open && open->isVisible()) open->reject();
        look->deleteLater();
        QVERIFY2(dialog, "the dialog did not come");
    });
    look->start(20);
}

/// The entry of a menu, or of one within it, that begins so; null without any.
inline QAction* entryOf(const QMenu& menu, const QString& beginning) {
    for (QAction* a : menu.actions()) {
        if (a->text().startsWith(beginning)) return a;
        if (a->menu())
            if (QAction* inner = entryOf(*a->menu(), beginning)) return inner;
    }
    return nullptr;
}

/// Right button on a place of a widget, then the entry that begins so. False where there is none, or none that can be chosen.
inline bool chooseAt(QWidget& widget, const QPoint& at, const QString& beginning) {
    QAction* chosen = nullptr;
    QTimer look;
    QObject::connect(&look, &QTimer::timeout, &widget, [&] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        if (!menu) return;
        look.stop();
        chosen = entryOf(*menu, beginning);
        if (chosen && !chosen->isEnabled()) chosen = nullptr;
        if (chosen && menu->actions().contains(chosen)) {
            menu->setActiveAction(chosen);
            QTest::keyClick(menu, Qt::Key_Return);
        } else {
            if (chosen) chosen->trigger(); // of a menu within
            menu->close();
        }
    });
    look.start(20);
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, widget.mapToGlobal(at));
    QApplication::sendEvent(&widget, &event);
    return chosen != nullptr;
}

} // namespace caelumen
