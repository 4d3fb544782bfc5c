#include "app/bench/bench.h"

#include "app/bench/evidence_plot.h"
#include "app/bench/fairness_list.h"
#include "app/bench/rows.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/compare/evidence.h"
#include "core/compare/sentences.h"
#include "core/model/quantity.h"

#include <QAction>
#include <QActionGroup>
#include <QDataStream>
#include <QGuiApplication>
#include <QLabel>
#include <QMenu>
#include <QSlider>
#include <QSplitter>
#include <QToolBar>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

QFrame* panelOf(QWidget* inner) {
    auto* frame = new QFrame;
    frame->setObjectName("panel");
    auto* layout = new QVBoxLayout(frame);
    layout->setContentsMargins(1, 1, 1, 1);
    layout->addWidget(inner);
    return frame;
}

} // namespace

Bench::Bench(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_lanes(new LaneList)
    , m_view(new FrameView)
    , m_evidence(new EvidencePlot)
    , m_fairness(new FairnessList)
    , m_answer(new QLabel)
    , m_fairTitle(new QLabel(tr("What else differed")))
    , m_tools(new QToolBar)
    , m_across(new QSplitter(Qt::Horizontal))
    , m_down(new QSplitter(Qt::Vertical)) {
    buildTools();
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    column->addWidget(m_tools);
    column->addWidget(m_view, 1);

    auto* fair = new QWidget;
    auto* fairColumn = new QVBoxLayout(fair);
    fairColumn->setContentsMargins(0, 6, 0, 4);
    fairColumn->setSpacing(2);
    m_fairTitle->setObjectName("heading");
    m_fairTitle->setContentsMargins(8, 0, 0, 0);
    fairColumn->addWidget(m_fairTitle);
    fairColumn->addWidget(m_fairness, 1);

    auto* right = new QSplitter(Qt::Vertical);
    right->addWidget(panelOf(m_evidence));
    right->addWidget(panelOf(fair));
    right->setSizes({300, 220});
    right->setChildrenCollapsible(false);

    m_across->addWidget(m_lanes);
    m_across->addWidget(middle);
    m_across->addWidget(right);
    m_across->setSizes({210, 730, 320});
    m_across->setStretchFactor(1, 1);
    m_across->setChildrenCollapsible(false);

    auto* bottom = new QWidget;
    auto* bottomColumn = new QVBoxLayout(bottom);
    bottomColumn->setContentsMargins(0, 2, 0, 0);
    bottomColumn->setSpacing(5);
    m_answer->setWordWrap(true);
    m_answer->setContentsMargins(4, 0, 4, 0);
    QFont large = m_answer->font();
    large.setPixelSize(14);
    m_answer->setFont(large);
    m_answer->setStyleSheet("font-size: 14px;");
    bottomColumn->addWidget(m_answer);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    for (const Score& score : scores()) {
        auto* panel = new ScorePanel(score);
        m_panels.push_back(panel);
        row->addWidget(panel, 1);
        connect(panel, &ScorePanel::clicked, this, [this](const QString& id, const QString& run) { showEvidence(id, run.isEmpty() ? m_run : run); });
    }
    bottomColumn->addLayout(row, 1);
    m_down->addWidget(m_across);
    m_down->addWidget(bottom);
    m_down->setSizes({500, 205});
    m_down->setStretchFactor(0, 1);
    m_down->setChildrenCollapsible(false);

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 4, 8, 6);
    layout->addWidget(m_down);

    connect(m_lanes, &LaneList::chosen, this, &Bench::flipTo);
    connect(m_lanes, &LaneList::opened, this, &Bench::factsAsked);
    connect(m_lanes, &QWidget::customContextMenuRequested, this, &Bench::laneMenu);
    connect(m_view, &FrameView::flipped, this, &Bench::flipTo);
    connect(m_view, &FrameView::regionDrawn, this, &Bench::drawn);
    connect(m_view, &FrameView::regionChanged, this, &Bench::changed);
    connect(m_view, &FrameView::renameAsked, this, &Bench::renameRegion);
    connect(m_view, &FrameView::toolDone, this, [this] {
        m_view->setTool(FrameView::Tool::Look);
        m_toolGroup->actions().constFirst()->setChecked(true);
    });
    connect(m_view, &FrameView::regionSelected, this, [this](const QString& id) {
        m_nudges += 1;
        for (const Region& r : m_session.trial().regions)
            if (r.id == id.toStdString() && r.role != RegionRole::Sky) showEvidence(r.role == RegionRole::Nebula ? "nebula" : "halo", m_run);
        fillScores();
    });
    connect(m_view, &FrameView::hovered, this, [this](const Point& p, bool inside) {
        const auto picture = m_session.picture(m_run);
        if (!inside || !picture) {
            emit status({});
            return;
        }
        const Point q = m_session.alignmentOf(m_run).map(p);
        QStringList rates;
        const int x = static_cast<int>(std::lround(q.x / picture->pitch())), y = static_cast<int>(std::lround(q.y / picture->pitch()));
        const auto& level = picture->levels().front();
        if (x >= 0 && y >= 0 && x < level.width && y < level.height)
            for (int c = 0; c < picture->channels(); ++c)
                rates << QString("%1 %2")
                             .arg(picture->channels() == 3 ? QString("RGB"[c]) : QString("L"))
                             .arg(picture->rate(c, picture->row(0, c, y)[x]), 0, 'g', 4);
        emit status(tr("x %1  y %2    %3 e-/s/px").arg(p.x, 0, 'f', 1).arg(p.y, 0, 'f', 1).arg(rates.join("  ")));
    });
    connect(&m_session, &Session::trialChanged, this, &Bench::trialChanged);
    connect(&m_session, &Session::resultsChanged, this, &Bench::resultsChanged);
    connect(&m_session, &Session::picturesChanged, this, &Bench::picturesChanged);
    trialChanged();
    resultsChanged();
}

void Bench::buildTools() {
    m_tools->setIconSize({18, 18});
    m_toolGroup = new QActionGroup(this);
    const auto tool = [&](const char* icon, const QString& name, const QString& key, FrameView::Tool t) {
        QAction* action = m_tools->addAction(themedIcon(icon), name);
        action->setData(QString(icon));
        action->setCheckable(true);
        action->setShortcut(key);
        action->setToolTip(QString("%1 (%2)").arg(name, key));
        m_toolGroup->addAction(action);
        connect(action, &QAction::triggered, this, [this, t] { m_view->setTool(t); });
        return action;
    };
    tool("hand", tr("Look and move"), "Q", FrameView::Tool::Look)->setChecked(true);
    tool("nebula", tr("Draw a nebula circle"), "N", FrameView::Tool::Nebula);
    tool("polygon", tr("Draw a nebula outline: click corners, double-click to close"), "O", FrameView::Tool::NebulaOutline);
    tool("sky", tr("Draw a sky rectangle"), "S", FrameView::Tool::Sky);
    tool("halo", tr("Mark a bright star for its halo"), "H", FrameView::Tool::HaloStar);
    m_tools->addSeparator();
    const auto plain = [&](const char* icon, const QString& name, const QString& key, auto slot) {
        QAction* action = m_tools->addAction(themedIcon(icon), name);
        action->setData(QString(icon));
        action->setShortcut(key);
        action->setToolTip(QString("%1 (%2)").arg(name, key));
        connect(action, &QAction::triggered, this, slot);
        return action;
    };
    plain("whole", tr("Whole frame"), "W", [this] { m_view->fitFrame(); });
    plain("pixels", tr("Pixel for pixel"), "P", [this] { m_view->zoomTo(1.0 / devicePixelRatioF(), QPointF(m_view->width() / 2.0, m_view->height() / 2.0)); });
    m_regionsAction = plain("marks", tr("Show regions"), "R", [this] { m_view->setShowRegions(m_regionsAction->isChecked()); });
    m_regionsAction->setCheckable(true);
    m_regionsAction->setChecked(true);
    m_tools->addSeparator();
    m_stretchAction = m_tools->addAction(tr("One stretch"));
    m_stretchAction->setCheckable(true);
    m_stretchAction->setChecked(true);
    m_stretchAction->setShortcut(QString("T"));
    m_stretchAction->setToolTip(tr("One stretch for all, or each to its own sky (T)"));
    connect(m_stretchAction, &QAction::triggered, this, [this](bool on) { setStretchMode(on ? StretchMode::Shared : StretchMode::OwnSky); });
    const auto slider = [&](const QString& name) {
        auto* s = new QSlider(Qt::Horizontal);
        s->setRange(-100, 100);
        s->setFixedWidth(56);
        s->setToolTip(name + tr(" of the pictures; figures do not change"));
        s->setAccessibleName(name);
        auto* label = new QLabel(" " + name);
        label->setObjectName("dim");
        m_tools->addWidget(label);
        m_tools->addWidget(s);
        connect(s, &QSlider::valueChanged, this, &Bench::restretch);
        return s;
    };
    m_brightness = slider(tr("Light"));
    m_contrast = slider(tr("Depth"));
    for (QAction* a : m_tools->actions()) a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
    addActions(m_tools->actions());
}

void Bench::trialChanged() {
    m_tools->setEnabled(m_session.hasTrial());
    const Trial& trial = m_session.trial();
    if (!trial.run(m_run.toStdString())) {
        const Run* base = trial.baseline();
        m_run = trial.runs.empty() ? QString() : QString::fromStdString(base ? base->id : trial.runs.front().id);
        // The first other run is what a person came to see.
        for (const Run& r : trial.runs)
            if (!r.baseline && base) {
                m_run = QString::fromStdString(r.id);
                break;
            }
    }
    std::erase_if(m_painters, [&](const auto& p) { return !trial.run(p.first.toStdString()); });
    m_view->setRegions(trial.regions);
    picturesChanged();
    resultsChanged();
}

void Bench::picturesChanged() {
    const Trial& trial = m_session.trial();
    std::vector<ViewLane> lanes;
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        const Run& run = trial.runs[i];
        const QString id = QString::fromStdString(run.id);
        const Filter* f = trial.filter(run.filter);
        auto& painter = m_painters[id];
        const auto picture = m_session.picture(id);
        if (picture && (!painter || &painter->pyramid() != picture.get())) painter = std::make_shared<PicturePainter>(picture);
        if (!picture) painter.reset();
        lanes.push_back({id, QString("%1  %2").arg(id, QString::fromStdString(f ? f->name : run.filter)),
                         filterStyle(static_cast<int>(i), run.baseline, theme().isRed()), painter, m_session.whyNoPicture(id)});
    }
    restretch();
    m_view->setLanes(std::move(lanes), m_session.frameSize());
    m_view->setCurrent(m_run);
}

void Bench::restretch() {
    std::vector<const PicturePyramid*> all;
    const PicturePyramid* baseline = nullptr;
    for (const Run& run : m_session.trial().runs)
        if (const auto picture = m_session.picture(QString::fromStdString(run.id))) {
            all.push_back(picture.get());
            if (run.baseline || !baseline) baseline = picture.get();
        }
    const StretchWish wish{m_brightness->value() / 100.0, m_contrast->value() / 100.0};
    for (auto& [run, painter] : m_painters) {
        if (!painter) continue;
        painter->setAlignment(m_session.alignmentOf(run));
        painter->setStretch(m_mode == StretchMode::Shared ? sharedStretch(all, *baseline, wish) : ownSkyStretch(painter->pyramid(), wish), theme().tint());
    }
    m_view->setStretchNote(m_mode == StretchMode::Shared ? tr("one stretch for all") : tr("each to its own sky: brightness cannot be compared"));
    m_view->picturesChanged();
}

void Bench::setStretchMode(StretchMode mode) {
    m_mode = mode;
    m_stretchAction->setChecked(mode == StretchMode::Shared);
    m_stretchAction->setText(mode == StretchMode::Shared ? tr("One stretch") : tr("Own sky"));
    restretch();
}

void Bench::themeChanged() {
    for (QAction* a : m_tools->actions())
        if (const QString icon = a->data().toString(); !icon.isEmpty()) a->setIcon(themedIcon(icon));
    picturesChanged();
    resultsChanged();
}

void Bench::resultsChanged() {
    const Trial& trial = m_session.trial();
    const TrialResults* r = m_session.results();
    m_lanes->setEntries(laneEntries(trial, r));
    m_lanes->setCurrentRun(m_run);
    for (auto& [run, painter] : m_painters)
        if (painter) painter->setAlignment(m_session.alignmentOf(run));
    m_view->picturesChanged();
    fillScores();
    fillAnswer();
    refreshEvidence();
}

QString Bench::nebulaRegion() const {
    const auto& regions = m_session.trial().regions;
    for (const Region& r : regions)
        if (r.role == RegionRole::Nebula && r.id == m_view->selected().toStdString()) return QString::fromStdString(r.id);
    for (const Region& r : regions)
        if (r.role == RegionRole::Nebula) return QString::fromStdString(r.id);
    return {};
}

const Region* Bench::regionOfRole(RegionRole role) const {
    const Region* first = nullptr;
    for (const Region& r : m_session.trial().regions) {
        if (r.role != role) continue;
        if (r.id == m_view->selected().toStdString()) return &r;
        if (!first) first = &r;
    }
    return first;
}

void Bench::fillScores() {
    const Trial& trial = m_session.trial();
    const TrialResults* r = m_session.results();
    for (ScorePanel* panel : m_panels) {
        const Score& score = panel->score();
        const Quantity* q = quantity(score.headline);
        const QString nebula = nebulaRegion();
        QString sub = text(q->label);
        if (score.id == "nebula" && !nebula.isEmpty()) sub += " " + nebula;
        if (q->unit != "1") sub += " (" + (q->unit == "mag/arcsec2" ? QString("mag/arcsec\u00B2") : text(q->unit)) + ")";
        panel->setRows(scoreRows(trial, r, score, nebula), sub, !m_session.resultsAreCurrent());
        panel->setCurrent(m_run, text(score.id) == m_score);
    }
}

void Bench::fillAnswer() {
    const TrialResults* r = m_session.results();
    if (!m_session.hasTrial())
        m_answer->setText(tr("Drop two or more stacked frames on the window to compare filters."));
    else if (!r)
        m_answer->setText(m_session.trial().runs.size() < 2      ? tr("Add a second run: a comparison needs two.")
                          : m_session.whyNotMeasured().isEmpty() ? tr("Measuring \u2026")
                                                                 : tr("Not measured: %1").arg(m_session.whyNotMeasured()));
    else
        m_answer->setText(QString::fromStdString(answerSentence(m_session.trial(), *r, m_run.toStdString())));
}

void Bench::flipTo(const QString& run) {
    if (run == m_run && m_view->current() == run) return;
    m_run = run;
    m_lanes->setCurrentRun(run);
    m_view->setCurrent(run);
    for (ScorePanel* panel : m_panels) panel->setCurrent(m_run, text(panel->score().id) == m_score);
    fillAnswer();
    refreshEvidence();
}

void Bench::refreshEvidence() {
    const TrialResults* r = m_session.results();
    const Region* region = regionOfRole(m_score == "halo" ? RegionRole::HaloStar : RegionRole::Nebula);
    m_evidence->show(m_score, m_session.trial(), r, m_run, region ? QString::fromStdString(region->id) : QString());
    m_fairness->show(r, m_run);
}

void Bench::showEvidence(const QString& score, const QString& run) {
    m_score = score;
    if (!run.isEmpty()) flipTo(run);
    for (ScorePanel* panel : m_panels) panel->setCurrent(m_run, text(panel->score().id) == m_score);
    refreshEvidence();
    // To the pixels: the region in the middle, what was masked hatched.
    const Region* region = score == "nebula"       ? regionOfRole(RegionRole::Nebula)
                           : score == "halo"       ? regionOfRole(RegionRole::HaloStar)
                           : score == "background" ? regionOfRole(RegionRole::Sky)
                                                   : nullptr;
    std::vector<StarDisc> discs;
    if (const TrialResults* r = m_session.results(); r && r->evidence && (score == "nebula" || score == "background" || score == "gradient"))
        for (const RunEvidence& e : *r->evidence)
            if ((e.run == m_run.toStdString() || e.run == r->baseline) && !e.planes.empty()) {
                const Measurement* m = r->headline(e.run, "background");
                for (const PlaneHarvest& p : e.planes)
                    if (!m || p.channel == m->channel) discs.insert(discs.end(), p.discs.begin(), p.discs.end());
            }
    m_view->setOverlay(discs);
    if (sender() && qobject_cast<FrameView*>(sender())) return; // chosen on the picture: it is in sight
    if (region)
        m_view->showRegion(*region);
    else
        m_view->fitFrame();
}

void Bench::drawn(Region region) {
    Trial changed = m_session.trial();
    const char letter = region.role == RegionRole::Nebula ? 'N' : region.role == RegionRole::Sky ? 'S' : 'H';
    for (int n = 1;; ++n) {
        region.id = letter + std::to_string(n);
        if (std::none_of(changed.regions.begin(), changed.regions.end(), [&](const Region& r) { return r.id == region.id; })) break;
    }
    changed.regions.push_back(region);
    const QString id = QString::fromStdString(region.id);
    m_session.edit(tr("Draw %1").arg(id), changed);
    m_view->select(id);
}

void Bench::changed(const Region& region) {
    Trial changed = m_session.trial();
    for (Region& r : changed.regions)
        if (r.id == region.id) r = region;
    // Nudges by key join into one step; a drag is one step by itself.
    const bool nudged = QGuiApplication::mouseButtons() == Qt::NoButton && m_view->hasFocus();
    m_session.edit(tr("Move %1").arg(QString::fromStdString(region.id)), changed, nudged ? m_nudges : 0);
}

void Bench::deleteSelectedRegion() {
    const QString id = m_view->selected();
    if (id.isEmpty()) return;
    Trial changed = m_session.trial();
    std::erase_if(changed.regions, [&](const Region& r) { return r.id == id.toStdString(); });
    m_session.edit(tr("Delete %1").arg(id), changed);
}

void Bench::renameRegion(const QString& id) {
    if (id.isEmpty()) return;
    Trial changed = m_session.trial();
    for (Region& r : changed.regions) {
        if (r.id != id.toStdString()) continue;
        const QString name = m_prompts.text(this, tr("Rename %1").arg(id), tr("Name shown beside %1:").arg(id), QString::fromStdString(r.name));
        if (name.isNull()) return;
        r.name = name.trimmed().toStdString();
        r.guessed = false;
    }
    m_session.edit(tr("Rename %1").arg(id), changed);
}

void Bench::setBaseline(const QString& run) {
    Trial changed = m_session.trial();
    const Alignment a = m_session.alignmentOf(run);
    for (Run& r : changed.runs) r.baseline = r.id == run.toStdString();
    // Regions live in the baseline's pixels: carry them over.
    for (Region& r : changed.regions) {
        for (Point& p : r.points) p = a.map(p);
        r.radius *= a.scale;
    }
    m_session.edit(tr("Take run %1 as baseline").arg(run), changed);
}

void Bench::removeRun(const QString& run) {
    Trial changed = m_session.trial();
    std::erase_if(changed.runs, [&](const Run& r) { return r.id == run.toStdString(); });
    std::erase_if(changed.filters,
                  [&](const Filter& f) { return std::none_of(changed.runs.begin(), changed.runs.end(), [&](const Run& r) { return r.filter == f.id; }); });
    m_session.edit(tr("Remove run %1").arg(run), changed);
}

void Bench::laneMenu(const QPoint& at) {
    const QString run = m_lanes->currentRun();
    QMenu menu(this);
    if (!run.isEmpty()) {
        menu.addAction(tr("Correct the facts of run %1 \u2026").arg(run), this, [this, run] { emit factsAsked(run); });
        QAction* base = menu.addAction(tr("Take as baseline"), this, [this, run] { setBaseline(run); });
        const Run* r = m_session.trial().run(run.toStdString());
        base->setEnabled(r && !r->baseline && m_session.results());
        menu.addAction(tr("Remove from the trial"), this, [this, run] { removeRun(run); })->setEnabled(r && !r->baseline);
        menu.addSeparator();
    }
    menu.addAction(tr("Add frames \u2026"), this, &Bench::framesWanted);
    menu.exec(m_lanes->viewport()->mapToGlobal(at));
}

ScorePanel* Bench::panel(const QString& score) const {
    for (ScorePanel* panel : m_panels)
        if (text(panel->score().id) == score) return panel;
    return nullptr;
}

QString Bench::figuresAsText() const {
    return scoreTable(m_session.trial(), m_session.results(), nebulaRegion());
}

QByteArray Bench::saveLayout() const {
    QByteArray out;
    QDataStream stream(&out, QIODevice::WriteOnly);
    stream << m_across->saveState() << m_down->saveState();
    return out;
}

void Bench::restoreLayout(const QByteArray& state) {
    if (state.isEmpty()) return;
    QByteArray across, down;
    QDataStream stream(state);
    stream >> across >> down;
    m_across->restoreState(across);
    m_down->restoreState(down);
}

} // namespace caelumen
