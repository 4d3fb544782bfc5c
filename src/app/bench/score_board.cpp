#include "app/bench/score_board.h"

#include "app/bench/rows.h"
#include "app/widgets/core_words.h"
#include "core/model/quantity.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QToolButton>

#include <algorithm>

namespace caelumen {
namespace {

QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

ScoreHead headOf(const Score& score, const Trial& trial, const QString& region) {
    const Quantity* q = quantity(score.headline);
    ScoreHead head;
    head.higherIsBetter = q->better == Better::Higher;
    head.title = coreWord(score.label);
    for (const Region& r : trial.regions)
        if (r.id == region.toStdString()) head.title += "  " + (region + " " + QString::fromStdString(r.name)).trimmed();
    QString figure = score.id == "artefacts" ? ScoreBoard::tr("Banding") : coreWord(q->label);
    if (q->unit != "1") figure += q->unit == "mag/arcsec2" ? QString(" (mag/arcsec\u00B2)") : " (" + text(q->unit) + ")";
    head.subtitle = figure;
    return head;
}

} // namespace

ScoreBoard::ScoreBoard(QWidget* parent)
    : QWidget(parent)
    , m_answer(new QLabel)
    , m_order(new QToolButton) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 2, 0, 0);
    column->setSpacing(5);
    m_answer->setWordWrap(true);
    m_answer->setContentsMargins(4, 0, 4, 0);
    m_answer->setStyleSheet("font-size: 14px;");
    m_answer->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_order->setText(tr("Best first"));
    m_order->setCheckable(true);
    m_order->setToolTip(tr("Each score's runs from best to worst, instead of in the order of the lanes"));
    auto* top = new QHBoxLayout;
    top->addWidget(m_answer, 1);
    top->addWidget(m_order, 0, Qt::AlignTop);
    column->addLayout(top);
    auto* inner = new QWidget;
    auto* row = new QHBoxLayout(inner);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    for (const Score& score : benchScores()) {
        auto* panel = new ScorePanel(score);
        m_panels.push_back(panel);
        row->addWidget(panel, 1);
        connect(panel, &ScorePanel::clicked, this, &ScoreBoard::clicked);
    }
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setFocusPolicy(Qt::NoFocus);
    scroll->setWidget(inner);
    scroll->setMinimumHeight(96);
    column->addWidget(scroll, 1);
    connect(m_order, &QToolButton::toggled, this, &ScoreBoard::orderChanged);
}

void ScoreBoard::fill(const Trial& trial, const TrialResults* r, const QString& nebula, const QString& halo, bool stale) {
    for (ScorePanel* panel : m_panels) {
        const Score& score = panel->score();
        const QString region = score.id == "nebula" ? nebula : score.id == "halo" ? halo : QString();
        const ScoreHead head = headOf(score, trial, region);
        auto rows = scoreRows(trial, r, score, region);
        if (m_order->isChecked())
            std::stable_sort(rows.begin(), rows.end(), [&](const ScoreRow& a, const ScoreRow& b) {
                if (a.value.has_value() != b.value.has_value()) return a.value.has_value();
                return a.value && (head.higherIsBetter ? *a.value > *b.value : *a.value < *b.value);
            });
        panel->setRows(std::move(rows), head, stale);
    }
}

void ScoreBoard::setAnswer(const QString& sentence) {
    m_answer->setText(sentence);
}

void ScoreBoard::setCurrent(const QString& run, const QString& score) {
    for (ScorePanel* panel : m_panels) panel->setCurrent(run, text(panel->score().id) == score);
}

ScorePanel* ScoreBoard::panel(const QString& score) const {
    for (ScorePanel* panel : m_panels)
        if (text(panel->score().id) == score) return panel;
    return nullptr;
}

bool ScoreBoard::bestFirst() const {
    return m_order->isChecked();
}

void ScoreBoard::setBestFirst(bool on) {
    m_order->setChecked(on);
}

} // namespace caelumen
