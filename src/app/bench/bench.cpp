#include "app/bench/bench.h"

#include "app/bench/bench_marks.h"
#include "app/bench/blind_panel.h"
#include "app/bench/evidence_plot.h"
#include "app/bench/fairness_list.h"
#include "app/bench/histogram_strip.h"
#include "app/bench/lane_list.h"
#include "app/bench/rows.h"
#include "app/bench/score_board.h"
#include "app/bench/score_panel.h"
#include "app/bench/welcome.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/theme.h"
#include "core/compare/sentences.h"
#include "core/model/quantity.h"

#include <QAbstractSpinBox>
#include <QApplication>
#include <QDataStream>
#include <QFocusEvent>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QSlider>
#include <QSplitter>
#include <QStackedWidget>
#include <QTextEdit>
#include <QVBoxLayout>
#include <qcustomplot.h>

namespace caelumen {
namespace {

QFrame* panelOf(QWidget* inner) {
    auto* frame = new QFrame;
    frame->setObjectName("panel");
    auto* layout = new QVBoxLayout(frame);
    layout->setContentsMargins(1, 1, 1, 1);
    layout->addWidget(inner);
    return frame;
}

bool takesText(const QWidget* widget) {
    return qobject_cast<const QLineEdit*>(widget) || qobject_cast<const QAbstractSpinBox*>(widget) || qobject_cast<const QPlainTextEdit*>(widget) ||
           qobject_cast<const QTextEdit*>(widget);
}

} // namespace

Bench::Bench(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_left(new QStackedWidget)
    , m_lanes(new LaneList)
    , m_blindPanel(new BlindPanel)
    , m_view(new FrameView)
    , m_welcome(new Welcome)
    , m_middle(new QStackedWidget)
    , m_tools(new BenchTools(*m_view))
    , m_levels(new QWidget)
    , m_histogram(new HistogramStrip)
    , m_brightness(panelSlider(-100, 100, 0, tr("Light of the pictures")))
    , m_contrast(panelSlider(-100, 100, 0, tr("Depth of the pictures")))
    , m_evidence(new EvidencePlot)
    , m_fairness(new FairnessList)
    , m_right(new QSplitter(Qt::Vertical))
    , m_across(new QSplitter(Qt::Horizontal))
    , m_down(new QSplitter(Qt::Vertical))
    , m_board(new ScoreBoard) {
    layOut();
    connectAll();
    qApp->installEventFilter(this);
    trialChanged();
    resultsChanged();
}

Bench::~Bench() = default;

void Bench::layOut() {
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    m_middle->addWidget(m_view);
    m_middle->addWidget(m_welcome);
    column->addWidget(m_middle, 1);
    auto* levels = new QHBoxLayout(m_levels);
    levels->setContentsMargins(0, 0, 0, 0);
    auto* sliders = new QVBoxLayout;
    for (const auto& [name, slider] : {std::pair{tr("Light"), m_brightness}, {tr("Depth"), m_contrast}}) {
        auto* row = new QHBoxLayout;
        auto* label = new QLabel(name);
        label->setObjectName("dim");
        slider->setFixedWidth(90);
        slider->setToolTip(tr("%1 of the pictures; figures do not change").arg(name));
        row->addWidget(label, 1);
        row->addWidget(slider);
        sliders->addLayout(row);
    }
    levels->addLayout(sliders);
    levels->addWidget(m_histogram, 1);
    m_levels->hide();
    column->addWidget(m_levels);

    auto* fair = new QWidget;
    auto* fairColumn = new QVBoxLayout(fair);
    fairColumn->setContentsMargins(0, 6, 0, 4);
    fairColumn->setSpacing(2);
    QLabel* title = headingLabel(tr("What else differed"));
    title->setContentsMargins(8, 0, 0, 0);
    fairColumn->addWidget(title);
    fairColumn->addWidget(m_fairness, 1);
    m_right->addWidget(panelOf(m_evidence));
    m_right->addWidget(panelOf(fair));
    m_right->setSizes({300, 220});
    m_right->setChildrenCollapsible(false);

    m_left->setMinimumWidth(fontMetrics().horizontalAdvance('0') * 28);
    m_left->addWidget(m_lanes);
    m_left->addWidget(m_blindPanel);
    m_across->addWidget(m_left);
    m_across->addWidget(middle);
    m_across->addWidget(m_right);
    m_across->setSizes({210, 730, 320});
    m_across->setStretchFactor(1, 1);
    m_across->setChildrenCollapsible(false);
    m_down->addWidget(m_across);
    m_down->addWidget(m_board);
    m_down->setSizes({510, 195});
    m_down->setStretchFactor(0, 1);
    m_down->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 2, 8, 4);
    layout->setSpacing(3);
    layout->addWidget(m_tools);
    layout->addWidget(m_down, 1);
    // Tab goes the way of the work: runs, pictures, what is seen of them, scores, where they come from, what was unfair.
    QWidget* before = m_lanes;
    const auto next = [&](QWidget* w) {
        setTabOrder(before, w);
        before = w;
    };
    next(m_view);
    for (QWidget* w : std::initializer_list<QWidget*>{m_brightness, m_contrast, m_histogram}) next(w);
    for (const Score& score : benchScores()) next(m_board->panel(QString::fromUtf8(score.id.data(), static_cast<qsizetype>(score.id.size()))));
    next(m_evidence->kindBox());
    next(m_evidence->plot());
    next(m_fairness);
    for (QAction* a : m_tools->keyActions()) addAction(a); // their keys work while the Bench is in sight
}

void Bench::connectAll() {
    m_evidenceSoon.setSingleShot(true);
    m_evidenceSoon.setInterval(80);
    connect(&m_evidenceSoon, &QTimer::timeout, this, &Bench::refreshEvidence);
    connect(m_lanes, &LaneList::chosen, this, [this](const QString& run) {
        if (run != m_run) flipTo(run); // else it only follows what is shown
    });
    connect(m_lanes, &LaneList::opened, this, &Bench::factsAsked);
    connect(m_lanes, &QWidget::customContextMenuRequested, this, &Bench::laneMenu);
    connect(m_board, &ScoreBoard::clicked, this, [this](const QString& score, const QString& run) { showEvidence(score, run.isEmpty() ? m_run : run); });
    connect(m_board, &ScoreBoard::orderChanged, this, &Bench::fillScores);
    connect(m_evidence, &EvidencePlot::factsAsked, this, [this] { emit factsAsked(m_run); });
    connect(m_evidence, &EvidencePlot::kindChanged, this, &Bench::refreshEvidence);
    connect(m_evidence, &EvidencePlot::saveAsked, this, &Bench::savePlot);
    connect(m_evidence, &EvidencePlot::starsChosen, this, [this](const std::vector<Point>& stars) {
        ViewMarks marks;
        marks.stars = stars;
        m_view->setMarks({{m_run, marks}});
        m_marked = true;
    });

    connect(m_view, &FrameView::flipped, this, &Bench::flipTo);
    connect(m_view, &FrameView::regionDrawn, this, &Bench::drawn);
    connect(m_view, &FrameView::regionChanged, this, &Bench::changed);
    connect(m_view, &FrameView::renameAsked, this, &Bench::renameRegion);
    connect(m_view, &FrameView::menuAsked, this, &Bench::regionMenu);
    connect(m_view, &FrameView::hovered, this, &Bench::hovered);
    connect(m_view, &FrameView::regionSelected, this, [this](const QString& id) {
        m_nudges += 1;
        for (const Region& r : m_session.trial().regions)
            if (r.id == id.toStdString() && r.role != RegionRole::Sky) showEvidence(r.role == RegionRole::Nebula ? "nebula" : "halo", m_run);
        fillScores();
        fillAnswer();
    });

    connect(m_tools, &BenchTools::stretchModeChanged, this, [this] {
        m_points.reset();
        picturesChanged();
    });
    connect(m_tools, &BenchTools::lookChanged, this, [this] {
        m_points.reset();
        picturesChanged();
    });
    connect(m_tools->levels(), &QAction::toggled, this, [this](bool on) {
        m_levels->setVisible(on);
        picturesChanged();
    });
    connect(m_tools->blind(), &QAction::triggered, this, [this] { m_blind ? endBlindLook() : beginBlindLook(); });
    for (QSlider* s : {m_brightness, m_contrast})
        connect(s, &QSlider::valueChanged, this, [this] {
            m_points.reset();
            picturesChanged();
        });
    connect(m_histogram, &HistogramStrip::dragged, this, [this](const Stretch& stretch) {
        m_points = stretch;
        picturesChanged();
    });
    connect(m_histogram, &HistogramStrip::resetAsked, this, [this] {
        m_points.reset();
        for (QSlider* s : {m_brightness, m_contrast}) s->setValue(0);
        picturesChanged();
    });
    connect(m_blindPanel, &BlindPanel::chosen, this, &Bench::flipTo);
    connect(m_blindPanel, &BlindPanel::revealAsked, this, &Bench::revealBlindLook);
    connect(m_blindPanel, &BlindPanel::left, this, &Bench::endBlindLook);

    connect(&m_session, &Session::trialChanged, this, &Bench::trialChanged);
    connect(&m_session, &Session::resultsChanged, this, &Bench::resultsChanged);
    connect(&m_session, &Session::picturesChanged, this, &Bench::picturesChanged);
}

/// The baseline is shown while its key is held, wherever the focus is.
bool Bench::eventFilter(QObject* watched, QEvent* event) {
    const bool press = event->type() == QEvent::KeyPress, release = event->type() == QEvent::KeyRelease;
    if ((press || release) && isVisible() && !m_blind) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const auto* widget = qobject_cast<QWidget*>(watched);
        const bool here = widget && widget->window() == window() && !takesText(widget);
        if (here && key->key() == Qt::Key_B && key->modifiers() == Qt::NoModifier) {
            if (!key->isAutoRepeat()) m_view->setBaselineHeld(press);
            return true;
        }
    }
    if (event->type() == QEvent::WindowDeactivate && watched == window()) m_view->setBaselineHeld(false);
    return QWidget::eventFilter(watched, event);
}

void Bench::focusInEvent(QFocusEvent* event) {
    QWidget::focusInEvent(event);
    m_view->setFocus(event->reason());
}

void Bench::hideEvent(QHideEvent* event) {
    m_view->setBaselineHeld(false);
    m_tools->turns()->setChecked(false);
    QWidget::hideEvent(event);
}

void Bench::trialChanged() {
    m_tools->setEnabled(m_session.hasTrial());
    m_middle->setCurrentWidget(m_session.trial().runs.empty() ? static_cast<QWidget*>(m_welcome) : m_view);
    const Trial& trial = m_session.trial();
    if (m_trialShown != m_session.trialId()) { // runs of another trial may have the same names
        m_trialShown = m_session.trialId();
        m_subs.clear();
        m_points.reset();
        if (m_blind) endBlindLook();
    }
    if (m_blind) {
        const auto& shown = m_blindPanel->shown();
        if (shown.size() != trial.runs.size() || std::any_of(shown.begin(), shown.end(), [&](const std::string& run) { return !trial.run(run); }))
            endBlindLook();
    }
    if (!trial.run(m_run.toStdString())) {
        const Run* base = trial.baseline();
        m_run = trial.runs.empty() ? QString() : QString::fromStdString(base ? base->id : trial.runs.front().id);
        // The first other run is what a person came to see.
        for (const Run& r : trial.runs)
            if (!r.baseline && base) {
                m_run = QString::fromStdString(r.id);
                break;
            }
        m_points.reset();
    }
    m_lineMatrices.clear();
    m_counted.clear();
    std::erase_if(m_subs, [&](const auto& s) { return !trial.run(s.first.toStdString()); });
    m_view->setRegions(trial.regions);
    picturesChanged();
    resultsChanged();
}

void Bench::themeChanged() {
    m_tools->themeChanged();
    m_view->themeChanged();
    picturesChanged();
    resultsChanged();
}

void Bench::resultsChanged() {
    const Trial& trial = m_session.trial();
    const TrialResults* r = m_session.results();
    m_lanes->setEntries(laneEntries(trial, r));
    m_lanes->setCurrentRun(m_run);
    picturesChanged(); // alignments
    fillScores();
    fillAnswer();
    refreshEvidence();
    if (m_marked && r) m_view->setMarks(marksOf(m_score, trial, *r, regionOfScore(m_score).toStdString()));
}

QString Bench::chosenRegion(RegionRole role) const {
    for (const Region& r : m_session.trial().regions)
        if (r.role == role && r.id == m_view->selected().toStdString()) return QString::fromStdString(r.id);
    return {};
}

QString Bench::regionOfScore(const QString& score) const {
    if (score != "nebula" && score != "halo") return {};
    const RegionRole role = score == "nebula" ? RegionRole::Nebula : RegionRole::HaloStar;
    if (const QString chosen = chosenRegion(role); !chosen.isEmpty()) return chosen;
    // The star that speaks for the halos of most runs is the one that could be measured.
    if (const TrialResults* r = m_session.results(); r && score == "halo")
        for (const Run& run : m_session.trial().runs)
            if (const Measurement* m = r->headline(run.id, q::haloDepth)) return QString::fromStdString(m->region);
    for (const Region& r : m_session.trial().regions)
        if (r.role == role) return QString::fromStdString(r.id);
    return {};
}

void Bench::fillScores() {
    m_board->fill(m_session.trial(), m_session.results(), regionOfScore("nebula"), regionOfScore("halo"), !m_session.resultsAreCurrent());
    m_board->setCurrent(m_run, m_score);
}

void Bench::fillAnswer() {
    const TrialResults* r = m_session.results();
    if (!m_session.hasTrial())
        m_board->setAnswer(tr("Drop two or more stacked frames on the window to compare filters."));
    else if (!r)
        m_board->setAnswer(m_session.trial().runs.size() < 2      ? tr("Add a second run: a comparison needs two.")
                           : m_session.whyNotMeasured().isEmpty() ? tr("Measuring \u2026")
                                                                  : tr("Not measured: %1").arg(m_session.whyNotMeasured()));
    else
        m_board->setAnswer(QString::fromStdString(answerSentence(m_session.trial(), *r, m_run.toStdString(), chosenRegion(RegionRole::Nebula).toStdString())));
}

void Bench::flipTo(const QString& lane) {
    const QString run = runOfLane(lane);
    if (lane == m_run && m_view->current() == lane) return;
    m_run = run;
    m_lanes->setCurrentRun(run);
    m_view->setCurrent(lane);
    m_board->setCurrent(m_run, m_score);
    m_histogram->setCurrent(run);
    if (m_blind) {
        const auto& shown = m_blindPanel->shown();
        m_blindPanel->choose(static_cast<int>(std::find(shown.begin(), shown.end(), run.toStdString()) - shown.begin()));
    }
    fillAnswer();
    m_evidenceSoon.start(); // whoever flips fast looks at the pictures
}

void Bench::refreshEvidence() {
    m_evidenceSoon.stop();
    if (const TrialResults* r = m_session.results())
        m_evidence->show(m_score,
                         {m_session.trial(), *r, m_run, regionOfScore(m_score),
                          [this](const std::string& run, const Region& region, const std::string& channel) { return pixelsOf(run, region, channel); }});
    else
        m_evidence->clear(m_session.whyNotMeasured().isEmpty() ? tr("Nothing is measured yet.") : m_session.whyNotMeasured(),
                          !m_session.whyNotMeasured().isEmpty() && m_session.hasTrial());
    m_fairness->show(m_session.results(), m_run);
}

void Bench::showEvidence(const QString& score, const QString& run) {
    m_score = score;
    if (!run.isEmpty()) flipTo(run);
    m_board->setCurrent(m_run, m_score);
    refreshEvidence();
    if (m_blind) return;
    // To the pixels: the region in the middle, what was masked hatched.
    const TrialResults* r = m_session.results();
    const QString of = regionOfScore(score);
    m_view->setMarks(r ? marksOf(score, m_session.trial(), *r, of.toStdString()) : std::map<QString, ViewMarks>());
    m_marked = r != nullptr;
    if (sender() && qobject_cast<FrameView*>(sender())) return; // chosen on the picture: it is in sight
    for (const Region& region : m_session.trial().regions)
        if (region.id == of.toStdString() || (score == "background" && region.role == RegionRole::Sky)) return m_view->showRegion(region);
    m_view->fitFrame();
}

void Bench::hideMarks() {
    m_marked = false;
    m_view->setMarks({});
}

ScorePanel* Bench::panel(const QString& score) const {
    return m_board->panel(score);
}

QString Bench::figuresAsText() const {
    return scoreTable(m_session.trial(), m_session.results(), regionOfScore("nebula"));
}

QByteArray Bench::saveLayout() const {
    QByteArray out;
    QDataStream stream(&out, QIODevice::WriteOnly);
    stream << m_across->saveState() << m_down->saveState() << m_right->saveState() << m_tools->levels()->isChecked() << m_board->bestFirst();
    return out;
}

void Bench::restoreLayout(const QByteArray& state) {
    if (state.isEmpty()) return;
    QByteArray across, down, right;
    bool levels = false, best = false;
    QDataStream stream(state);
    stream >> across >> down >> right >> levels >> best;
    m_across->restoreState(across);
    m_down->restoreState(down);
    m_right->restoreState(right);
    m_tools->levels()->setChecked(levels);
    m_board->setBestFirst(best);
}

} // namespace caelumen
