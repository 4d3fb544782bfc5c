#include "app/application.h"

#include "core/base/text.h"

#include <QEvent>
#include <QLabel>

#include <exception>
#include <new>

namespace caelumen {

Application::Application(int& argc, char** argv)
    : QApplication(argc, argv) {
    installEventFilter(this);
}

bool Application::notify(QObject* receiver, QEvent* event) {
    try {
        return QApplication::notify(receiver, event);
    } catch (...) {
        const QString sentence = sentenceOfException();
        // Told later: whoever shows it must not stand in the middle of what has just failed.
        QMetaObject::invokeMethod(
            this, [this, sentence] { emit failed(sentence); }, Qt::QueuedConnection);
        return true;
    }
}

bool Application::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Polish)
        if (auto* label = qobject_cast<QLabel*>(watched); label && label->textFormat() == Qt::AutoText) label->setTextFormat(Qt::PlainText);
    return QApplication::eventFilter(watched, event);
}

QString sentenceOfException() {
    try {
        throw;
    } catch (const std::bad_alloc&) {
        return QObject::tr("There is not enough memory for this; close other programs and try again.");
    } catch (const std::exception& e) {
        return QObject::tr("This could not be done because of a fault in the program (%1); please report it.").arg(QString::fromStdString(oneLine(e.what())));
    } catch (...) {
        return QObject::tr("This could not be done because of a fault in the program; please report it.");
    }
}

} // namespace caelumen
