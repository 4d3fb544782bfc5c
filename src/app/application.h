#pragma once

#include <QApplication>

namespace caelumen {

/// The application in which nothing that goes wrong in the answer to a click, a key or a drop ends the program: it becomes a sentence. It also shows names as
/// they are: a label whose form nobody chose, and every tool tip and message, shows plain text, so that no name can load a picture or look like a link.
class Application : public QApplication {
    Q_OBJECT

public:
    Application(int& argc, char** argv);
    bool notify(QObject* receiver, QEvent* event) override;

signals:
    void failed(const QString& sentence);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
};

/// The exception that is being handled, as a sentence for people. To be called in a catch block.
QString sentenceOfException();

} // namespace caelumen
