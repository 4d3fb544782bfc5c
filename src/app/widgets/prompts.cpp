#include "app/widgets/prompts.h"

#include <QFileDialog>
#include <QInputDialog>
#include <QMessageBox>
#include <QPushButton>

namespace caelumen {

QString framesFilter() {
    return QObject::tr("Frames (*.fits *.fit *.fts *.fz *.gz *.tif *.tiff *.cr2 *.cr3 *.nef *.arw *.raf *.rw2 *.orf *.pef *.dng);;All files (*)");
}

QStringList Prompts::openFrames(QWidget* parent) {
    return QFileDialog::getOpenFileNames(parent, QObject::tr("Choose frames"), {}, framesFilter());
}
QString Prompts::openFile(QWidget* parent, const QString& title, const QString& filter) {
    return QFileDialog::getOpenFileName(parent, title, {}, filter);
}
QStringList Prompts::openFiles(QWidget* parent, const QString& title, const QString& filter) {
    return QFileDialog::getOpenFileNames(parent, title, {}, filter);
}
QString Prompts::folder(QWidget* parent, const QString& title) {
    return QFileDialog::getExistingDirectory(parent, title);
}
QString Prompts::saveFile(QWidget* parent, const QString& title, const QString& suggestion, const QString& filter) {
    return QFileDialog::getSaveFileName(parent, title, suggestion, filter);
}

QString Prompts::text(QWidget* parent, const QString& title, const QString& label, const QString& value) {
    bool ok = false;
    const QString answer = QInputDialog::getText(parent, title, label, QLineEdit::Normal, value, &ok);
    return ok ? (answer.isNull() ? QString("") : answer) : QString();
}

bool Prompts::confirm(QWidget* parent, const QString& question, const QString& yes) {
    QMessageBox box(QMessageBox::Question, QObject::tr("Caelumen"), question, QMessageBox::Cancel, parent);
    QPushButton* button = box.addButton(yes, QMessageBox::AcceptRole);
    box.exec();
    return box.clickedButton() == button;
}

void Prompts::tell(QWidget* parent, const QString& sentence) {
    QMessageBox(QMessageBox::Information, QObject::tr("Caelumen"), sentence, QMessageBox::Ok, parent).exec();
}

} // namespace caelumen
