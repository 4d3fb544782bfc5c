#pragma once

#include <QApplication>
#include <QDialog>
#include <QElapsedTimer>
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

} // namespace caelumen
