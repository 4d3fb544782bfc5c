#include "app/bench/blind_panel.h"

#include "app/marker_icon.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/theme.h"

#include <QAction>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>

#include <algorithm>

namespace caelumen {
namespace {

constexpr int kRun = Qt::UserRole;

} // namespace

QString BlindPanel::pictureName(std::size_t shown) {
    return tr("Picture %1").arg(shown + 1);
}

BlindPanel::BlindPanel(QWidget* parent)
    : QWidget(parent)
    , m_question(new QComboBox)
    , m_list(new QListWidget)
    , m_reasons(new QPlainTextEdit)
    , m_up(new QPushButton(tr("Better")))
    , m_down(new QPushButton(tr("Worse")))
    , m_reveal(new QPushButton(tr("Show names")))
    , m_leave(new QPushButton)
    , m_help(
          new QLabel(tr("Flip with the keys 1 to 9 and bring the pictures into an order, best first. Names, markers, scores and what differed stay hidden.")))
    , m_verdict(new QLabel) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 4, 4, 4);
    column->setSpacing(5);
    column->addWidget(headingLabel(tr("Blind look")));
    for (QLabel* l : {m_help, m_verdict}) l->setWordWrap(true);
    m_help->setObjectName("dim");
    column->addWidget(m_help);
    for (const Score& s : scores()) {
        const QString id = QString::fromUtf8(s.id.data(), static_cast<qsizetype>(s.id.size()));
        m_question->addItem(id == "nebula"       ? tr("Nebula shown best")
                            : id == "background" ? tr("Darkest sky")
                            : id == "halo"       ? tr("Faintest halos")
                            : id == "colour"     ? tr("Most star colour kept")
                                                 : tr("Most even sky"),
                            id);
    }
    m_question->setAccessibleName(tr("What is judged"));
    m_question->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    column->addWidget(m_question);
    m_list->setDragDropMode(QAbstractItemView::InternalMove);
    m_list->setAccessibleName(tr("Pictures, best first"));
    m_list->setToolTip(tr("Drag a picture up or down, or use Ctrl+Up and Ctrl+Down"));
    m_list->setWordWrap(true);
    column->addWidget(m_list, 1);
    auto* order = new QHBoxLayout;
    order->addWidget(m_up);
    order->addWidget(m_down);
    column->addLayout(order);
    m_reasons->setPlaceholderText(tr("Reasons, for later"));
    m_reasons->setAccessibleName(tr("Reasons"));
    m_reasons->setMaximumHeight(64);
    m_reasons->setTabChangesFocus(true);
    column->addWidget(m_reasons);
    column->addWidget(m_verdict);
    auto* ends = new QHBoxLayout;
    ends->addWidget(m_reveal);
    ends->addWidget(m_leave);
    column->addLayout(ends);
    for (const auto& [key, by] : {std::pair{"Ctrl+Up", -1}, {"Ctrl+Down", 1}}) {
        auto* action = new QAction(m_list);
        action->setShortcut(QKeySequence(key));
        action->setShortcutContext(Qt::WidgetShortcut);
        connect(action, &QAction::triggered, this, [this, b = by] { move(b); });
        m_list->addAction(action);
    }
    connect(m_up, &QPushButton::clicked, this, [this] { move(-1); });
    connect(m_down, &QPushButton::clicked, this, [this] { move(1); });
    connect(m_list, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item) emit chosen(item->data(kRun).toString());
    });
    connect(m_reveal, &QPushButton::clicked, this, &BlindPanel::revealAsked);
    connect(m_leave, &QPushButton::clicked, this, &BlindPanel::left);
}

void BlindPanel::begin(const std::vector<std::string>& shown) {
    m_shown = shown;
    m_revealed = false;
    m_list->clear();
    for (std::size_t i = 0; i < shown.size(); ++i) {
        auto* item = new QListWidgetItem(pictureName(i), m_list);
        item->setData(kRun, QString::fromStdString(shown[i]));
    }
    m_list->setDragEnabled(true);
    m_list->setCurrentRow(0);
    m_reasons->clear();
    m_reasons->setReadOnly(false);
    m_question->setEnabled(true);
    for (QPushButton* b : {m_up, m_down, m_reveal}) b->setEnabled(true);
    m_help->show();
    m_verdict->clear();
    m_verdict->hide();
    m_leave->setText(tr("Give up"));
}

void BlindPanel::move(int by) {
    const int from = m_list->currentRow(), to = from + by;
    if (m_revealed || from < 0 || to < 0 || to >= m_list->count()) return;
    QListWidgetItem* item = m_list->takeItem(from);
    m_list->insertItem(to, item);
    m_list->setCurrentRow(to);
}

void BlindPanel::choose(int picture) {
    if (picture < 0 || picture >= static_cast<int>(m_shown.size())) return;
    for (int i = 0; i < m_list->count(); ++i)
        if (m_list->item(i)->data(kRun).toString().toStdString() == m_shown[static_cast<std::size_t>(picture)]) m_list->setCurrentRow(i);
}

QString BlindPanel::score() const {
    return m_question->currentData().toString();
}

BlindLook BlindPanel::look() const {
    BlindLook out;
    out.score = score().toStdString();
    out.shown = m_shown;
    for (int i = 0; i < m_list->count(); ++i) out.ranking.push_back(m_list->item(i)->data(kRun).toString().toStdString());
    out.reasons = m_reasons->toPlainText().trimmed().toStdString();
    return out;
}

void BlindPanel::reveal(const std::vector<std::pair<QString, FilterStyle>>& names, const Agreement& agreement, const QString& verdict) {
    m_revealed = true;
    for (int i = 0; i < m_list->count(); ++i) {
        QListWidgetItem* item = m_list->item(i);
        const std::string run = item->data(kRun).toString().toStdString();
        const auto rank = std::find(agreement.measured.begin(), agreement.measured.end(), run);
        const QString measured = rank == agreement.measured.end() ? tr("no figure") : tr("measured %1").arg(rank - agreement.measured.begin() + 1);
        item->setText(tr("by eye %1, %2: %3").arg(i + 1).arg(measured, names[static_cast<std::size_t>(i)].first));
        item->setIcon(markerIcon(names[static_cast<std::size_t>(i)].second));
    }
    m_list->setDragEnabled(false);
    m_reasons->setReadOnly(true);
    m_question->setEnabled(false);
    for (QPushButton* b : {m_up, m_down, m_reveal}) b->setEnabled(false);
    m_help->hide();
    m_verdict->setText(verdict);
    m_verdict->show();
    m_leave->setText(tr("Done"));
}

} // namespace caelumen
