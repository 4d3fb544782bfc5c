#pragma once

#include <QDialog>
#include <QMap>

class QLineEdit;
class QListWidget;
class QTextBrowser;

namespace caelumen {

/// The manual: contents, pages, and a search over all of them.
class HelpWindow : public QDialog {
    Q_OBJECT

public:
    explicit HelpWindow(QWidget* parent = nullptr);
    void showPage(const QString& page); ///< "bench"; one that is not there shows the first
    QString page() const;
    QTextBrowser& browser() { return *m_browser; }
    QLineEdit& search() { return *m_search; }
    QListWidget& list() { return *m_list; }
    static QStringList pages(); ///< in the order of the manual

private:
    void fill();
    QLineEdit* m_search;
    QListWidget* m_list;
    QTextBrowser* m_browser;
    QMap<QString, QString> m_texts; ///< of pages, as they are read
};

} // namespace caelumen
