#pragma once

#include <QString>
#include <QStringList>

class QWidget;

namespace caelumen {

/// Names of frames, for a dialog that chooses files.
QString framesFilter();

/// Everything the program asks a person in a dialog, so that tests can answer instead.
class Prompts {
public:
    virtual ~Prompts() = default;
    virtual QStringList openFrames(QWidget* parent);
    virtual QString openFile(QWidget* parent, const QString& title, const QString& filter);
    virtual QStringList openFiles(QWidget* parent, const QString& title, const QString& filter);
    virtual QString folder(QWidget* parent, const QString& title);
    virtual QString saveFile(QWidget* parent, const QString& title, const QString& suggestion, const QString& filter);
    virtual QString text(QWidget* parent, const QString& title, const QString& label, const QString& value); ///< null when cancelled
    virtual bool confirm(QWidget* parent, const QString& question, const QString& yes);
    virtual void tell(QWidget* parent, const QString& sentence);
};

} // namespace caelumen
