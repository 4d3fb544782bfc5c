#pragma once

#include "core/compare/blind_look.h"
#include "report/filter_style.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QListWidget;
class QPlainTextEdit;
class QPushButton;

namespace caelumen {

/// Takes the place of the lanes while names are hidden: pictures by number, brought into an order by eye, with reasons; then the names beside the order that
/// was measured.
class BlindPanel : public QWidget {
    Q_OBJECT

public:
    explicit BlindPanel(QWidget* parent = nullptr);
    /// Begins anew with these runs, already shuffled.
    void begin(const std::vector<std::string>& shown);
    bool revealed() const { return m_revealed; }
    QString score() const;
    const std::vector<std::string>& shown() const { return m_shown; }
    /// The look as it stands; without region and date.
    BlindLook look() const;
    /// Names and ranks, once the person asks for them.
    void reveal(const std::vector<std::pair<QString, FilterStyle>>& names, const Agreement& agreement, const QString& verdict);
    void choose(int picture); ///< 0-based, in the order shown
    static QString pictureName(std::size_t shown);

    QListWidget& list() { return *m_list; }
    QComboBox& question() { return *m_question; }
    QPlainTextEdit& reasons() { return *m_reasons; }
    QPushButton& revealButton() { return *m_reveal; }
    QPushButton& leaveButton() { return *m_leave; }
    QLabel& verdict() { return *m_verdict; }

signals:
    void chosen(const QString& run);
    void revealAsked();
    void left();

private:
    void move(int by);

    std::vector<std::string> m_shown;
    bool m_revealed = false;
    QComboBox* m_question;
    QListWidget* m_list;
    QPlainTextEdit* m_reasons;
    QPushButton *m_up, *m_down, *m_reveal, *m_leave;
    QLabel *m_help, *m_verdict;
};

} // namespace caelumen
