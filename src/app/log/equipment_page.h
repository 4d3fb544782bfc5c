#pragma once

#include "store/log_store.h"

#include <QDialog>
#include <QWidget>

class QComboBox;
class QDateEdit;
class QLabel;
class QLineEdit;
class QListWidget;
class QTableWidget;

namespace caelumen {

class FileField;
class LogModel;
class Prompts;

/// What happened to a filter or telescope on some day.
class EventDialog : public QDialog {
    Q_OBJECT

public:
    EventDialog(const EquipmentEvent& event, Prompts& prompts, QWidget* parent = nullptr);
    EquipmentEvent event() const;

private:
    EquipmentEvent m_event;
    QDateEdit* m_date;
    QComboBox* m_what;
    QLineEdit* m_note;
    FileField* m_photo;
};

/// The lives of filters and telescopes: bought, cleaned, scratched, sold; the hours between, and what their figures were before and after.
class EquipmentPage : public QWidget {
    Q_OBJECT

public:
    EquipmentPage(LogModel& log, Prompts& prompts, QWidget* parent = nullptr);
    void fill();
    QListWidget& things() { return *m_things; }
    QTableWidget& table() { return *m_table; }
    QLabel& words() { return *m_words; }
    QString text() const; ///< of the thing in hand, tab-separated

private:
    void fillEvents();
    void ask(const EquipmentEvent& event);
    bool eventFilter(QObject* of, QEvent* event) override;
    EquipmentEvent chosen() const;
    LogModel& m_log;
    Prompts& m_prompts;
    QListWidget* m_things;
    QTableWidget* m_table;
    QLabel *m_words, *m_photo;
    QWidget* m_buttons;
};

} // namespace caelumen
