#include "app/widgets/file_field.h"

#include "app/widgets/form_fields.h"
#include "app/widgets/prompts.h"

#include <QDragEnterEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMimeData>
#include <QToolButton>
#include <QUrl>

namespace caelumen {

FileField::FileField(const std::string& path, const QString& title, const QString& filter, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_edit(new QLineEdit)
    , m_before(path) {
    setAcceptDrops(true);
    m_edit->setAcceptDrops(false); // a drop on the text is a file too
    m_edit->setPlaceholderText(tr("none"));
    connect(m_edit, &QLineEdit::textChanged, m_edit, &QLineEdit::setToolTip); // long names do not fit
    m_edit->setText(QString::fromStdString(path));                            // its end is shown
    auto* choose = quietButton(QStringLiteral("\u2026"), title);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(m_edit);
    row->addWidget(choose);
    setFocusProxy(m_edit);
    connect(choose, &QToolButton::clicked, this, [this, title, filter, &prompts] {
        if (const QString file = prompts.openFile(this, title, filter); !file.isEmpty()) m_edit->setText(file);
    });
}

std::string FileField::path() const {
    return m_edit->text().trimmed().toStdString();
}

QString FileField::problem() const {
    const QString name = QString::fromStdString(path());
    return name.isEmpty() || path() == m_before || QFileInfo(name).isFile() ? QString()
                                                                            : tr("%1 does not exist; choose the file, or leave the field empty.").arg(name);
}

void FileField::dragEnterEvent(QDragEnterEvent* event) {
    const auto urls = event->mimeData()->urls();
    if (urls.size() == 1 && urls.front().isLocalFile()) event->acceptProposedAction();
}

void FileField::dropEvent(QDropEvent* event) {
    m_edit->setText(event->mimeData()->urls().front().toLocalFile());
    event->acceptProposedAction();
}

} // namespace caelumen
