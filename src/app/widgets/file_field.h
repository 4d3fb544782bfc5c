#pragma once

#include <QWidget>

#include <string>

class QLineEdit;

namespace caelumen {

class Prompts;

/// The name of one file: typed, dropped or chosen. Empty is allowed.
class FileField : public QWidget {
    Q_OBJECT

public:
    /// `title` and `filter` are those of the dialog behind the button.
    FileField(const std::string& path, const QString& title, const QString& filter, Prompts& prompts, QWidget* parent = nullptr);
    std::string path() const;
    /// A sentence where the name is given and no file has it.
    QString problem() const;

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    QLineEdit* m_edit;
};

} // namespace caelumen
