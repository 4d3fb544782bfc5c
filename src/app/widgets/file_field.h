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
    /// A sentence where a new name is given and no file has it. The one that was there stays unasked: whoever uses the file tells that it is gone.
    QString problem() const;

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    QLineEdit* m_edit;
    std::string m_before;
};

} // namespace caelumen
