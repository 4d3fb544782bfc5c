#pragma once

#include "app/widgets/prompts.h"

namespace caelumen {

/// Answers instead of a person.
class Answers : public Prompts {
public:
    QString save, name;
    QStringList frames;
    int asked = 0;
    QStringList openFrames(QWidget*) override { return ++asked, frames; }
    QStringList openFiles(QWidget*, const QString&, const QString&) override { return ++asked, frames; }
    QString openFile(QWidget*, const QString&, const QString&) override { return ++asked, save; }
    QString folder(QWidget*, const QString&) override { return ++asked, place; }
    QString place; ///< a folder
    QString saveFile(QWidget*, const QString&, const QString& suggestion, const QString&) override { return ++asked, suggested = suggestion, save; }
    QString text(QWidget*, const QString&, const QString&, const QString&) override { return ++asked, name; }
    bool confirm(QWidget*, const QString& text, const QString&) override { return ++asked, question = text, yes; }
    QString question; ///< the last one that was to be confirmed
    bool yes = true;
    void tell(QWidget*, const QString&) override { ++asked; }
    QString suggested;
};

} // namespace caelumen
