#include "app/help/help_window.h"

#include "app/widgets/theme.h"

#include <QFile>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QRegularExpression>
#include <QSplitter>
#include <QTextBlock>
#include <QTextBrowser>
#include <QTextCursor>
#include <QTextDocument>
#include <QTextList>
#include <QToolButton>
#include <QVBoxLayout>

/// Q_INIT_RESOURCE must stand outside any namespace.
static void initManual() {
    Q_INIT_RESOURCE(manual);
}

namespace caelumen {
namespace {

QString sourceOf(const QString& page) {
    QFile file(":/manual/" + page + ".md");
    return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

QString titleOf(const QString& source) {
    return source.section('\n', 0, 0).remove(QRegularExpression("^#+ *"));
}

/// Pictures as wide as a page, in the theme's light.
class Browser : public QTextBrowser {
public:
    using QTextBrowser::QTextBrowser;

protected:
    QVariant loadResource(int type, const QUrl& name) override {
        const QVariant found = QTextBrowser::loadResource(type, name);
        if (type != QTextDocument::ImageResource) return found;
        QImage image = found.canConvert<QImage>() ? found.value<QImage>() : QImage();
        if (image.isNull() && !image.loadFromData(found.toByteArray())) return found;
        return inThemeLight(image.scaledToWidth(std::min(image.width(), 620), Qt::SmoothTransformation).convertToFormat(QImage::Format_RGB32));
    }
};

} // namespace

QStringList HelpWindow::pages() {
    return {"index", "kit", "night", "subs", "bench", "sky-grid", "palette", "verdict", "log", "figures", "schools", "reviews", "command-line", "trouble"};
}

HelpWindow::HelpWindow(QWidget* parent)
    : QDialog(parent)
    , m_search(new QLineEdit)
    , m_list(new QListWidget)
    , m_browser(new Browser) {
    initManual();
    setObjectName("help");
    setWindowTitle(tr("Manual"));
    resize(980, 720);
    for (const QString& p : pages()) {
        QTextDocument document;
        document.setMarkdown(sourceOf(p));
        m_texts[p] = document.toPlainText();
    }
    m_search->setPlaceholderText(tr("Search the manual"));
    m_search->setAccessibleName(tr("Search the manual"));
    m_search->setClearButtonEnabled(true);
    m_list->setAccessibleName(tr("Pages"));
    m_browser->setAccessibleName(tr("Page"));
    m_browser->setOpenLinks(false);
    m_browser->document()->setDocumentMargin(16);
    auto* left = new QWidget;
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(m_search);
    column->addWidget(m_list, 1);
    auto* back = new QToolButton;
    back->setText(tr("Back"));
    back->setEnabled(false);
    column->addWidget(back);
    auto* across = new QSplitter;
    across->addWidget(left);
    across->addWidget(m_browser);
    across->setStretchFactor(1, 1);
    across->setSizes({240, 740});
    across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(across);
    connect(m_browser, &QTextBrowser::backwardAvailable, back, &QToolButton::setEnabled);
    connect(back, &QToolButton::clicked, m_browser, &QTextBrowser::backward);
    connect(m_browser, &QTextBrowser::anchorClicked, this, [this](const QUrl& url) {
        const QString path = url.path();
        if (path.endsWith(".md")) showPage(path.section('/', -1).chopped(3));
    });
    connect(m_search, &QLineEdit::textChanged, this, &HelpWindow::fill);
    connect(m_search, &QLineEdit::returnPressed, this, [this] {
        if (m_list->count() > 0) m_list->setCurrentRow(0);
    });
    connect(m_list, &QListWidget::currentItemChanged, this, [this](const QListWidgetItem* item) {
        if (!item) return;
        showPage(item->data(Qt::UserRole).toString());
        if (const QString words = m_search->text().trimmed(); !words.isEmpty()) m_browser->find(words);
    });
    fill();
}

void HelpWindow::fill() {
    const QStringList words = m_search->text().split(' ', Qt::SkipEmptyParts);
    const QSignalBlocker quiet(m_list);
    m_list->clear();
    for (const QString& p : pages()) {
        const QString& text = m_texts[p];
        if (!std::all_of(words.begin(), words.end(), [&](const QString& w) { return text.contains(w, Qt::CaseInsensitive); })) continue;
        auto* item = new QListWidgetItem(titleOf(sourceOf(p)).section(':', 0, 0), m_list);
        item->setData(Qt::UserRole, p);
        item->setToolTip(titleOf(sourceOf(p)));
        if (words.isEmpty()) {
            if (p == page()) m_list->setCurrentItem(item);
            continue;
        }
        const auto at = text.indexOf(words.first(), 0, Qt::CaseInsensitive);
        item->setText(item->text() + "\n" + QString::fromUtf8("\u2026") + text.mid(std::max<qsizetype>(0, at - 20), 60).simplified() +
                      QString::fromUtf8("\u2026"));
    }
}

QString HelpWindow::page() const {
    return m_browser->source().path().section('/', -1).chopped(3);
}

void HelpWindow::showPage(const QString& wanted) {
    const QString p = pages().contains(wanted) ? wanted : pages().first();
    if (p != page()) m_browser->setSource(QUrl("qrc:/manual/" + p + ".md"), QTextDocument::MarkdownResource);
    // Paragraphs of Markdown come without room between them.
    for (QTextBlock b = m_browser->document()->begin(); b.isValid(); b = b.next()) {
        if (QTextCursor(b).currentTable()) continue;
        QTextBlockFormat format = b.blockFormat();
        format.setBottomMargin(b.textList() ? 3 : 8);
        if (format.headingLevel() > 1) format.setTopMargin(10);
        format.setLineHeight(118, QTextBlockFormat::ProportionalHeight);
        QTextCursor(b).setBlockFormat(format);
    }
    const QSignalBlocker quiet(m_list);
    for (int i = 0; i < m_list->count(); ++i)
        if (m_list->item(i)->data(Qt::UserRole).toString() == p) m_list->setCurrentRow(i);
}

} // namespace caelumen
