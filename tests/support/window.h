#pragma once

#include "app/main_window.h"

#include <QApplication>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QLabel>
#include <QMimeData>

namespace caelumen {

/// Files dragged onto the window and let go.
inline void dropOn(QWidget& window, const QStringList& files) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& file : files) urls << QUrl::fromLocalFile(file);
    data.setUrls(urls);
    QDragEnterEvent enter({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    QDropEvent event({400, 300}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
}

/// The sentence that the window shows about what went wrong; empty when nothing did.
inline QString problemIn(const MainWindow& window) {
    for (const QLabel* l : window.centralWidget()->findChildren<QLabel*>(QString(), Qt::FindDirectChildrenOnly))
        if (l->isVisible()) return l->text();
    return {};
}

/// The most green or blue of any pixel beyond what a warm red has: what would spoil adapted eyes.
inline int glareIn(const QImage& shot) {
    int worst = 0;
    for (int y = 0; y < shot.height(); y += 3)
        for (int x = 0; x < shot.width(); x += 3) {
            const QColor c = shot.pixelColor(x, y);
            worst = std::max(worst, std::max(c.blue(), c.green()) - c.red() / 2);
        }
    return worst;
}

/// What a screen reader calls by that name; null without any.
template<class T>
T* byName(const QWidget& in, const QString& name) {
    for (T* w : in.findChildren<T*>())
        if (w->accessibleName() == name) return w;
    return nullptr;
}

} // namespace caelumen
