#pragma once

#include "core/log/log_entry.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;
class QTextBrowser;

namespace caelumen {

/// One run of the log: what is known of it, a person's tags and notes, and where to go with it.
class EntryPanel : public QWidget {
    Q_OBJECT

public:
    explicit EntryPanel(QWidget* parent = nullptr);
    /// `count`: how many are chosen; the first of them is shown. `beside`: whether it can be put beside the trial in hand.
    void show(const LogEntry* entry, int count, bool beside, bool sameTarget);
    void keepRemarks(); ///< what is being written
    QLineEdit& tags() { return *m_tags; }
    QPlainTextEdit& notes() { return *m_notes; }
    QTextBrowser& page() { return *m_page; }
    QPushButton& open() { return *m_open; }
    QPushButton& compare() { return *m_compare; }
    QPushButton& target() { return *m_target; }
    void themeChanged();

signals:
    void remarked(const std::string& uid, const QString& tags, const QString& notes);
    void openWanted();
    void compareWanted();
    void targetWanted();

private:
    void fillPage();
    static QList<std::pair<QString, QString>> factsOf(const LogEntry& entry);
    static QList<std::pair<QString, QString>> figuresOf(const LogEntry& entry);
    bool eventFilter(QObject* of, QEvent* event) override;
    LogEntry m_entry;
    QTextBrowser* m_page;
    QLabel *m_photo, *m_tagsLabel, *m_notesLabel;
    QLineEdit* m_tags;
    QPlainTextEdit* m_notes;
    QPushButton *m_open, *m_compare, *m_target;
};

} // namespace caelumen
