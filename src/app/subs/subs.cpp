#include "app/subs/subs.h"

#include "app/subs/sub_view.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "report/filter_style.h"

#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QDateTime>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTabWidget>
#include <QTableView>
#include <QTimeZone>
#include <QToolButton>
#include <QVBoxLayout>

#include <cmath>

namespace caelumen {
namespace {

QString hours(double s) { return s >= 3600 ? QObject::tr("%1 h %2 min").arg(static_cast<int>(s / 3600)).arg(static_cast<int>(std::fmod(s, 3600) / 60)) : s >= 60 ? QObject::tr("%1 min").arg(s / 60, 0, 'f', s < 600 ? 1 : 0) : QObject::tr("%1 s").arg(s, 0, 'f', 0); }

QComboBox* choices(const QStringList& texts, const QString& name, const QString& tip) {
    auto* box = new QComboBox;
    box->addItems(texts);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    return box;
}

QToolButton* button(const QString& text, const QString& tip) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setToolTip(tip);
    b->setFocusPolicy(Qt::NoFocus); // keys go on stepping
    return b;
}

} // namespace

Subs::Subs(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent), m_session(session), m_prompts(prompts), m_model(session), m_runs(new QListWidget), m_others(new QListWidget), m_where(new QLabel), m_summary(new QLabel), m_notes(new QLabel), m_cameraText(new QLabel), m_addFolder(new QPushButton(tr("Add a folder \u2026"))), m_stackRun(new QPushButton(tr("Stack this run \u2026"))),
      m_stackAll(new QPushButton(tr("Stack all runs for the Bench \u2026"))), m_lines(new QPushButton(tr("Separate the lines"))), m_cancel(new QPushButton(tr("Cancel"))), m_more(new QToolButton), m_playButton(button(QString::fromUtf8("\u25B6"), tr("Play (Space)"))), m_whole(button(tr("Whole frame"), tr("The whole frame, or one to one (Z)"))), m_view(new SubView), m_chart(new SubChart), m_quantity(new QComboBox),
      m_mosaic(choices({tr("half size, nothing made up"), tr("full size, interpolated")}, tr("Mosaic"), tr("Half size: each 2x2 cell gives R, the mean of both G, and B. Full size: each colour is interpolated from its own sites"))),
      m_method(choices({tr("mean"), tr("median")}, tr("Combination"), tr("The mean of what is not rejected, or the median"))), m_reject(choices({tr("nothing"), tr("beyond sigmas"), tr("beyond winsorised sigmas")}, tr("Rejection"), tr("Values that the others contradict: satellites, cosmic rays"))),
      m_normalise(choices({tr("nothing"), tr("sky"), tr("sky and stars")}, tr("Made alike"), tr("What is made alike before subs are combined: the stack keeps the mean sky either way. Recorded in its header"))),
      m_weights(choices({tr("all alike"), tr("by their noise")}, tr("Weights"), tr("All subs alike keeps the stack a plain mean"))), m_flats(choices({tr("divided"), tr("subtracted")}, tr("Flats"), tr("Divided out; or frames through a diffuser, as long as the subs, subtracted: takes glow and rings away too, but does not correct transmission"))),
      m_pace(choices({tr("every second"), tr("every 3 s"), tr("every 10 s"), tr("every 2 min")}, tr("Pace"), tr("How fast the virtual camera takes subs"))), m_cameraRow(new QWidget), m_halves(new QCheckBox(tr("odd and even halves beside it"))), m_maps(new QCheckBox(tr("coverage, rejection and noise maps"))), m_low(new QDoubleSpinBox), m_high(new QDoubleSpinBox), m_table(new QTableView), m_tabs(new QTabWidget),
      m_across(new QSplitter), m_down(new QSplitter(Qt::Vertical)) {
    setFocusPolicy(Qt::StrongFocus);
    m_across->addWidget(buildLeft());
    m_across->addWidget(buildMiddle());
    m_across->addWidget(buildRight());
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({220, 590, 470});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

    const auto act = [this](const QString& text, const QString& key, auto slot) {
        auto* a = new QAction(text, this);
        a->setShortcut(QKeySequence(key));
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        connect(a, &QAction::triggered, this, slot);
        addAction(a);
        m_actions << a;
    };
    act(tr("Keep this sub"), "K", [this] { overrule(SubsModel::Word::Keep); });
    act(tr("Leave this sub out"), "X", [this] { overrule(SubsModel::Word::Reject); });
    act(tr("Take it as judged"), "J", [this] { overrule(SubsModel::Word::Judged); });
    act(tr("Play the subs"), "Space", [this] { play(!playing()); });
    act(tr("Whole frame or one to one"), "Z", [this] { m_view->setFits(!m_view->fits()); });
    act(tr("Next sub that is left out"), "N", [this] {
        const auto& subs = m_model.run().subs;
        for (int i = m_sub + 1; i < static_cast<int>(subs.size()); ++i)
            if (!subs[static_cast<std::size_t>(i)].keep) return showSub(i);
    });

    m_play.setInterval(250);
    connect(&m_play, &QTimer::timeout, this, [this] {
        const auto n = static_cast<int>(m_model.run().subs.size());
        if (n == 0 || (m_sub >= 0 && m_model.picture(static_cast<std::size_t>(m_sub)).isNull())) return; // wait for its picture
        showSub((m_sub + 1) % n);
    });
    connect(&m_model, &SubsModel::groupsChanged, this, &Subs::fill);
    connect(&m_model, &SubsModel::runChanged, this, &Subs::fillRun);
    connect(&m_model, &SubsModel::pictureReady, this, [this](int sub) {
        if (sub == m_sub) fillSub();
    });
    connect(&m_model, &SubsModel::problem, this, &Subs::problem);
    connect(&m_model, &SubsModel::stacked, this, &Subs::finished);
    connect(&m_model, &SubsModel::watchChanged, this, &Subs::fill);
    connect(&m_camera, &VirtualCamera::problem, this, &Subs::problem);
    connect(&m_camera, &VirtualCamera::changed, this, &Subs::fill);
    JobService& jobs = m_model.jobs();
    connect(&jobs, &JobService::started, this, [this](const QString& title) { m_where->setText(title), m_cancel->show(); });
    connect(&jobs, &JobService::progressed, this, [this](double part, const QString& what, int left) { m_where->setText(left >= 0 ? tr("%1 %, %2, about %3 s left").arg(static_cast<int>(100 * part)).arg(what).arg(left) : what); });
    connect(&jobs, &JobService::idle, this, [this] { m_where->clear(), m_cancel->hide(); });
    connect(m_cancel, &QPushButton::clicked, this, [this] {
        m_model.jobs().cancel();
        m_where->setText(tr("Stopped; what was measured is kept."));
    });
    fill();
    fillControls();
}

QWidget* Subs::buildLeft() {
    auto* left = new QWidget;
    auto* layout = new QVBoxLayout(left);
    layout->setContentsMargins(12, 8, 4, 10);
    layout->addWidget(headingLabel(tr("Runs")));
    m_runs->setAccessibleName(tr("Runs"));
    m_runs->setWordWrap(true);
    for (QListWidget* list : {m_runs, m_others}) list->setSpacing(3), list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(m_runs, 3);
    layout->addWidget(headingLabel(tr("Calibration frames")));
    m_others->setAccessibleName(tr("Calibration frames"));
    m_others->setWordWrap(true);
    layout->addWidget(m_others, 2);
    auto* camera = new QVBoxLayout(m_cameraRow);
    camera->setContentsMargins(0, 0, 0, 0);
    m_cameraText->setWordWrap(true);
    m_cameraText->setObjectName("dim");
    camera->addWidget(m_cameraText);
    auto* pace = new QHBoxLayout;
    pace->addWidget(m_pace, 1);
    auto* stop = new QPushButton(tr("Stop"));
    pace->addWidget(stop);
    camera->addLayout(pace);
    layout->addWidget(m_cameraRow);
    connect(stop, &QPushButton::clicked, this, [this] { m_camera.stop(); });
    connect(m_pace, &QComboBox::activated, this, [this](int i) { m_camera.setPace(std::array{1.0, 3.0, 10.0, 120.0}[static_cast<std::size_t>(i)]); });
    auto* row = new QHBoxLayout;
    row->addWidget(m_addFolder, 1);
    m_more->setText(tr("More"));
    m_more->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(this);
    buildMenu(menu);
    m_more->setMenu(menu);
    row->addWidget(m_more);
    layout->addLayout(row);
    m_addFolder->setToolTip(tr("Everything in it that may be a frame; a folder can also be dropped here"));
    connect(m_addFolder, &QPushButton::clicked, this, [this] {
        if (const QString folder = m_prompts.folder(this, tr("A folder of subs, darks, flats")); !folder.isEmpty()) m_model.addSources({folder});
    });
    connect(m_runs, &QListWidget::currentRowChanged, this, [this](int) {
        if (!m_filling) m_model.choose(groupOf(m_runs));
    });
    return left;
}

QWidget* Subs::buildMiddle() {
    auto* top = new QWidget;
    auto* layout = new QVBoxLayout(top);
    layout->setContentsMargins(4, 8, 4, 0);
    layout->addWidget(m_view, 1);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    auto* back = button(QString::fromUtf8("\u2039"), tr("The sub before (Left)"));
    auto* on = button(QString::fromUtf8("\u203A"), tr("The next sub (Right)"));
    row->addWidget(back);
    row->addWidget(m_playButton);
    row->addWidget(on);
    row->addSpacing(8);
    row->addWidget(m_whole);
    row->addStretch(1);
    m_whole->setCheckable(true);
    auto* keep = button(tr("Keep"), tr("Count this sub whatever was found (K)"));
    auto* out = button(tr("Leave out"), tr("Do not count this sub (X)"));
    auto* judged = button(tr("As judged"), tr("Take the verdict as it is (J)"));
    for (QToolButton* b : {keep, out, judged}) row->addWidget(b);
    layout->addLayout(row);
    connect(back, &QToolButton::clicked, this, [this] { step(-1); });
    connect(on, &QToolButton::clicked, this, [this] { step(1); });
    connect(m_playButton, &QToolButton::clicked, this, [this] { play(!playing()); });
    connect(m_whole, &QToolButton::clicked, this, [this](bool fit) { m_view->setFits(fit); });
    connect(m_view, &SubView::fitChanged, m_whole, &QToolButton::setChecked);
    connect(keep, &QToolButton::clicked, this, [this] { overrule(SubsModel::Word::Keep); });
    connect(out, &QToolButton::clicked, this, [this] { overrule(SubsModel::Word::Reject); });
    connect(judged, &QToolButton::clicked, this, [this] { overrule(SubsModel::Word::Judged); });

    auto* bottom = new QWidget;
    auto* lower = new QVBoxLayout(bottom);
    lower->setContentsMargins(4, 4, 4, 10);
    auto* line = new QHBoxLayout;
    m_quantity->setAccessibleName(tr("Quantity"));
    for (const auto q : {SubChart::Quantity::Sky, SubChart::Quantity::Transparency, SubChart::Quantity::Fwhm, SubChart::Quantity::Eccentricity, SubChart::Quantity::Stars, SubChart::Quantity::Gradient}) m_quantity->addItem(SubChart::nameOf(q), static_cast<int>(q));
    line->addWidget(m_quantity);
    m_where->setObjectName("dim");
    m_where->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    line->addWidget(m_where, 1);
    m_cancel->hide();
    m_cancel->setFlat(true);
    line->addWidget(m_cancel);
    lower->addLayout(line);
    lower->addWidget(m_chart, 1);
    connect(m_quantity, &QComboBox::activated, this, [this] { fillRun(); });
    connect(m_chart, &SubChart::chosen, this, &Subs::showSub);
    m_down->addWidget(top);
    m_down->addWidget(bottom);
    m_down->setSizes({430, 250});
    m_down->setStretchFactor(0, 1);
    m_down->setChildrenCollapsible(false);
    return m_down;
}

QWidget* Subs::buildLimits() {
    auto* page = new QWidget;
    auto* form = new QFormLayout(page);
    form->setContentsMargins(12, 12, 12, 12);
    const auto limit = [&](const QString& label, double CullLimits::* member, double low, double high, double step, int digits, const QString& tip) {
        auto* box = new QDoubleSpinBox;
        box->setRange(low, high);
        box->setSingleStep(step);
        box->setDecimals(digits);
        box->setAccessibleName(label);
        box->setToolTip(tip);
        form->addRow(label, box);
        m_limits.emplace_back(box, member);
        const int merge = static_cast<int>(m_limits.size());
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, member, merge](double v) {
            if (!m_filling) editDecisions(tr("Limits"), merge, [&](SubsDecisions& d) { d.limits.*member = v; });
        });
    };
    limit(tr("Transparency at least"), &CullLimits::transparency, 0, 1, 0.01, 2, tr("Of the run's best decile; what the air takes with altitude is allowed for where place and target are known"));
    limit(tr("FWHM at most, times"), &CullLimits::fwhm, 1, 10, 0.05, 2, tr("The run's median"));
    limit(tr("Eccentricity at most, plus"), &CullLimits::eccentricity, 0, 1, 0.01, 2, tr("Above the run's median"));
    limit(tr("Sky at most, times"), &CullLimits::sky, 1, 100, 0.05, 2, tr("The sky of the subs before and after: a slow rise under the moon passes"));
    limit(tr("Stars at least, times"), &CullLimits::stars, 0, 1, 0.05, 2, tr("The run's median count"));
    limit(tr("Corners off by at most"), &CullLimits::vignette, 0, 10, 0.01, 2, tr("Change of the sky's shape against the run: flats, dew, an obstacle"));
    auto* usual = new QPushButton(tr("Usual limits"));
    form->addRow(QString(), usual);
    connect(usual, &QPushButton::clicked, this, [this] { editDecisions(tr("Usual limits"), 0, [](SubsDecisions& d) { d.limits = {}; }); });
    auto* words = new QLabel(tr("Every limit is against the run itself. What you decide on a sub yourself stands whatever the limits say. Straight trails alone reject nothing: clipping takes them out."));
    words->setWordWrap(true);
    words->setObjectName("dim");
    form->addRow(words);
    return page;
}

QWidget* Subs::buildStacking() {
    auto* page = new QWidget;
    auto* form = new QFormLayout(page);
    form->setContentsMargins(12, 12, 12, 12);
    form->addRow(tr("Flats are"), m_flats);
    form->addRow(tr("Mosaic"), m_mosaic);
    form->addRow(tr("Combine by"), m_method);
    form->addRow(tr("Reject"), m_reject);
    auto* sigmas = new QHBoxLayout;
    for (auto [box, name] : {std::pair{m_low, tr("Sigmas below")}, {m_high, tr("Sigmas above")}}) {
        box->setRange(1, 20);
        box->setSingleStep(0.1);
        box->setDecimals(1);
        box->setAccessibleName(name);
        sigmas->addWidget(box);
    }
    form->addRow(tr("Sigmas below, above"), sigmas);
    form->addRow(tr("Make alike"), m_normalise);
    form->addRow(tr("Weights"), m_weights);
    form->addRow(QString(), m_halves);
    form->addRow(QString(), m_maps);
    m_notes->setWordWrap(true);
    m_notes->setObjectName("dim");
    m_notes->setTextInteractionFlags(Qt::TextSelectableByMouse);
    form->addRow(m_notes);
    const auto box = [&](QComboBox* b, auto change) {
        connect(b, &QComboBox::activated, this, [this, change](int i) { editDecisions(tr("How to stack"), 0, [&](SubsDecisions& d) { change(d, i); }); });
    };
    box(m_flats, [](SubsDecisions& d, int i) { d.flats = static_cast<FlatSchool>(i); });
    box(m_mosaic, [](SubsDecisions& d, int i) { d.mosaic = static_cast<MosaicMode>(i); });
    box(m_method, [](SubsDecisions& d, int i) { d.combine.method = static_cast<Combination>(i); });
    box(m_reject, [](SubsDecisions& d, int i) { d.combine.reject = static_cast<Rejection>(i); });
    box(m_normalise, [](SubsDecisions& d, int i) { d.combine.normalise = static_cast<Normalising>(i); });
    box(m_weights, [](SubsDecisions& d, int i) { d.combine.weightByNoise = i == 1; });
    connect(m_halves, &QCheckBox::clicked, this, [this](bool on) { editDecisions(tr("How to stack"), 0, [&](SubsDecisions& d) { d.halves = on; }); });
    connect(m_maps, &QCheckBox::clicked, this, [this](bool on) { editDecisions(tr("How to stack"), 0, [&](SubsDecisions& d) { d.maps = on; }); });
    connect(m_low, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        if (!m_filling) editDecisions(tr("Sigmas"), 21, [&](SubsDecisions& d) { d.combine.low = v; });
    });
    connect(m_high, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        if (!m_filling) editDecisions(tr("Sigmas"), 22, [&](SubsDecisions& d) { d.combine.high = v; });
    });
    auto* scroll = new QScrollArea;
    scroll->setWidget(page);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    return scroll;
}

QWidget* Subs::buildRight() {
    auto* right = new QWidget;
    auto* layout = new QVBoxLayout(right);
    layout->setContentsMargins(4, 4, 10, 10);
    m_table->setModel(&m_rows);
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setShowGrid(false);
    m_table->setFrameShape(QFrame::NoFrame);
    m_table->setWordWrap(false);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(22);
    m_table->setAccessibleName(tr("Subs"));
    m_table->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(m_table, tr("Verdicts"));
    m_tabs->addTab(buildLimits(), tr("Limits"));
    m_tabs->addTab(buildStacking(), tr("Stacking"));
    layout->addWidget(m_tabs, 1);
    m_summary->setWordWrap(true);
    m_summary->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_summary->setContentsMargins(6, 2, 6, 2);
    layout->addWidget(m_summary);
    auto* row = new QHBoxLayout;
    row->addWidget(m_stackRun);
    row->addWidget(m_stackAll, 1);
    layout->addLayout(row);
    layout->addWidget(m_lines);
    m_lines->setToolTip(tr("Hydrogen or sulphur from red, oxygen from green and blue by their noise, beside the stack; with the crosstalk of filter and camera where the curve is known"));
    m_stackAll->setToolTip(tr("Each run in the same way; the stacks become a trial, with the first run as its baseline until you say otherwise"));
    connect(m_stackRun, &QPushButton::clicked, this, &Subs::stackRun);
    connect(m_stackAll, &QPushButton::clicked, this, &Subs::stackAll);
    connect(m_lines, &QPushButton::clicked, this, &Subs::separateLines);
    connect(m_table->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        if (!m_filling && now.isValid()) showSub(now.row());
    });
    return right;
}

QTimeZone Subs::zone() const { return m_model.trialFits() ? QTimeZone(QByteArray::fromStdString(m_session.trial().site.zone)) : QTimeZone(); }

QString Subs::clock(const std::string& iso) const {
    const QDateTime t = QDateTime::fromString(QString::fromStdString(iso), Qt::ISODate);
    if (!t.isValid()) return {};
    return (zone().isValid() ? t.toTimeZone(zone()) : t.toUTC()).toString("HH:mm");
}

int Subs::groupOf(const QListWidget* list) const { return list->currentItem() ? list->currentItem()->data(Qt::UserRole).toInt() : -1; }

void Subs::fill() {
    m_filling = true;
    m_runs->clear(), m_others->clear();
    int lights = 0;
    for (std::size_t i = 0; i < m_model.groups().size(); ++i) {
        const FrameGroup& g = m_model.groups()[i];
        QString text = QString::fromStdString(g.title());
        if (g.kind == FrameKind::Light) text += "\n" + (g.frames.size() == 1 ? tr("one sub, %1").arg(hours(g.total_s)) : tr("%1 subs, %2").arg(g.frames.size()).arg(hours(g.total_s)));
        if (const SubsModel::Tally* t = g.kind == FrameKind::Light ? m_model.tally(static_cast<int>(i)) : nullptr; t && t->subs == g.frames.size()) text += tr("; kept %1, %2").arg(t->kept).arg(hours(t->kept_s));
        if (g.kind != FrameKind::Light) text += "\n" + (g.frames.size() == 1 ? tr("one frame") : tr("%1 frames").arg(g.frames.size()));
        auto* item = new QListWidgetItem(text, g.kind == FrameKind::Light ? m_runs : m_others);
        item->setData(Qt::UserRole, static_cast<int>(i));
        const bool guessed = m_model.frames()[g.frames.front()].guessed;
        item->setToolTip(tr("%1 x %2 pixels%3").arg(g.width).arg(g.height).arg(guessed ? tr("\nWhat they are was guessed from their names; More tells otherwise") : QString()));
        if (g.kind != FrameKind::Light) continue;
        if (static_cast<int>(i) == m_model.current()) m_runs->setCurrentItem(item);
        ++lights;
    }
    if (const QString bad = m_model.unusable(); !bad.isEmpty()) {
        auto* item = new QListWidgetItem(tr("Files left aside: %1").arg(bad.count('\n') + 1), m_others);
        item->setToolTip(bad.size() > 2000 ? bad.left(2000) + QString::fromUtf8(" \u2026") : bad);
        item->setFlags(Qt::ItemIsEnabled);
        item->setData(Qt::UserRole, -1);
        item->setForeground(theme().warn);
    }
    if (lights == 0) {
        auto* item = new QListWidgetItem(tr("None yet."), m_runs);
        item->setFlags(Qt::NoItemFlags);
        item->setData(Qt::UserRole, -1);
    }
    m_stackAll->setVisible(lights > 1);
    m_cameraRow->setVisible(m_camera.running());
    if (m_camera.running()) m_cameraText->setText(m_camera.planned() > 0 ? tr("Virtual camera: %1 of %2 subs. Made up: nothing real is measured with it.").arg(m_camera.taken()).arg(m_camera.planned()) : tr("Virtual camera: taking its calibration frames \u2026"));
    m_filling = false;
}

void Subs::fillControls() {
    m_filling = true;
    const SubsDecisions& d = m_model.decisions();
    for (const auto& [box, member] : m_limits) box->setValue(d.limits.*member);
    m_flats->setCurrentIndex(static_cast<int>(d.flats));
    m_mosaic->setCurrentIndex(static_cast<int>(d.mosaic));
    m_method->setCurrentIndex(static_cast<int>(d.combine.method));
    m_reject->setCurrentIndex(static_cast<int>(d.combine.reject));
    m_normalise->setCurrentIndex(static_cast<int>(d.combine.normalise));
    m_weights->setCurrentIndex(d.combine.weightByNoise ? 1 : 0);
    m_low->setValue(d.combine.low);
    m_high->setValue(d.combine.high);
    m_halves->setChecked(d.halves);
    m_maps->setChecked(d.maps);
    m_filling = false;
}

void Subs::fillRun() {
    fillControls();
    const JudgedRun& run = m_model.run();
    const auto n = static_cast<int>(run.subs.size());
    if (m_sub >= n) m_sub = n - 1;
    if (m_sub < 0 && n > 0) m_sub = 0;
    const double gain = m_model.measurer() ? m_model.measurer()->gain() : 0;
    const auto time = [this](const std::string& iso) { return clock(iso); };
    m_filling = true;
    m_rows.show(&run, gain, time, zone().isValid() ? tr("time") : tr("UTC"));
    if (n > 0) m_table->resizeColumnsToContents();
    m_filling = false;

    QString text;
    if (n == 0) {
        text = m_model.groups().empty() ? tr("Drop a folder of subs, darks and flats here, or let the virtual camera take some (More).") : QString();
    } else if (!m_model.judged()) {
        int measured = 0;
        for (const JudgedSub& s : run.subs) measured += !s.figures.level.empty() || !s.figures.problem.empty();
        text = tr("%1 of %2 subs measured; they are judged against each other when all are.").arg(measured).arg(n);
    } else {
        text = tr("<b>%1 of %2 subs kept, %3.</b>").arg(run.kept()).arg(n).arg(hours(run.kept_s()));
        QStringList lost;
        for (const auto& [reason, seconds] : run.lost_s()) lost << tr("%1 %2").arg(tr(reasonName(reason)), hours(seconds));
        if (!lost.isEmpty()) text += tr(" Lost to: %1.").arg(lost.join(", "));
        for (const std::string& note : run.notes) text += "<br>" + QString::fromStdString(note).toHtmlEscaped();
        const std::string& channel = run.subs[run.reference].figures.channel;
        if (const auto moon = m_model.moon(channel)) {
            const double part = 100 * moon->slopeSigma / std::max(1e-12, std::abs(moon->slope));
            text += tr("<br>Moon: %1 %2 per 100 nL of modelled moonlight in %3 (\u00B1 %4 %), %5 without moon.").arg(100 * moon->slope, 0, 'g', 3).arg(gain > 0 ? tr("e\u207B/s/px") : tr("ADU/s")).arg(QString::fromStdString(channel)).arg(part, 0, 'f', 0).arg(moon->intercept, 0, 'g', 3);
            if (const auto against = m_model.moonAgainstFirst(channel)) text += tr(" That is %1 \u00B1 %2 of what the first run lets through.").arg(against->value, 0, 'g', 2).arg(std::max(against->sigma, 0.001), 0, 'g', 1);
        }
    }
    m_summary->setText(text);
    QString notes;
    if (const SubMeasurer* m = m_model.measurer()) {
        for (const std::string& line : m->calibration().history) notes += QString::fromStdString(line).toHtmlEscaped() + "<br>";
        for (const std::string& line : m->calibration().warnings) notes += QString("<span style='color:%1'>%2</span><br>").arg(theme().warn.name(), QString::fromStdString(line).toHtmlEscaped());
    }
    m_notes->setText(notes);
    const bool ready = m_model.judged() && run.kept() > 0;
    m_stackRun->setEnabled(ready);
    m_stackAll->setEnabled(ready);
    m_lines->setEnabled(!m_stacks.isEmpty());
    fillSub();
}

void Subs::fillSub() {
    const JudgedRun& run = m_model.run();
    SubChart::Content content;
    content.run = &run;
    content.quantity = static_cast<SubChart::Quantity>(m_quantity->currentData().toInt());
    content.limits = m_model.decisions().limits;
    content.gain = m_model.measurer() ? m_model.measurer()->gain() : 0;
    content.current = m_sub;
    content.colour = theme().accent;
    content.clock = [this](const std::string& iso) { return clock(iso); };
    m_chart->show(content);
    if (m_sub < 0 || m_sub >= static_cast<int>(run.subs.size())) {
        m_view->show({}, {}, false, m_model.groups().empty() ? tr("No subs yet. Drop a folder of subs, darks and flats on this window: they are told apart by their headers and names.") : tr("No lights among these frames. Choose frames on the left and say under More what they are."), {}, false);
        return;
    }
    const auto at = static_cast<std::size_t>(m_sub);
    const JudgedSub& s = run.subs[at];
    m_filling = true;
    if (m_table->currentIndex().row() != m_sub) m_table->setCurrentIndex(m_rows.index(m_sub, 0));
    m_filling = false;
    QPointF offset;
    bool flipped = false;
    const QImage image = m_model.picture(at);
    if (s.alignment && !image.isNull() && m_model.measurer()) {
        const FrameInfo& info = m_model.measurer()->like();
        const double pitch = static_cast<double>(info.width) / image.width();
        const Point there = s.alignment->map({0.5 * (info.width - 1), 0.5 * (info.height - 1)});
        offset = QPointF(there.x - 0.5 * (info.width - 1), there.y - 0.5 * (info.height - 1)) / pitch;
        flipped = std::abs(std::remainder(s.alignment->rotation_deg, 360)) > 90;
    }
    QString caption = tr("%1 of %2  %3").arg(m_sub + 1).arg(run.subs.size()).arg(QString::fromStdString(s.figures.file).section('/', -1));
    if (m_model.judged()) caption += s.keep ? (s.byHand ? tr("   kept by you") : tr("   kept")) : tr("   left out: %1").arg(s.words.empty() ? tr(reasonName(s.reason)) : QString::fromStdString(s.words));
    m_view->show(image, offset, flipped, s.figures.problem.empty() ? tr("Reading the sub \u2026") : QString::fromStdString(s.figures.problem), caption, !s.keep);
    if (image.isNull()) m_model.wantPicture(at);
}

void Subs::showSub(int sub) {
    if (sub < 0 || sub >= static_cast<int>(m_model.run().subs.size())) return;
    m_sub = sub;
    fillSub();
}

void Subs::step(int by) { showSub(std::clamp(m_sub + by, 0, std::max(0, static_cast<int>(m_model.run().subs.size()) - 1))); }

void Subs::play(bool on) {
    if (on && !m_model.run().subs.empty()) m_play.start();
    else m_play.stop();
    m_playButton->setText(QString::fromUtf8(playing() ? "\u25A0" : "\u25B6"));
}

void Subs::overrule(SubsModel::Word word) {
    if (m_sub >= 0) m_model.overrule(static_cast<std::size_t>(m_sub), word);
}

void Subs::editDecisions(const QString& what, int merge, const std::function<void(SubsDecisions&)>& change) {
    SubsDecisions d = m_model.decisions();
    change(d);
    m_model.decide(what, d, merge);
}

void Subs::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Left) return step(e->key() == Qt::Key_Right ? 1 : -1);
    if (e->key() == Qt::Key_Home) return showSub(0);
    if (e->key() == Qt::Key_End) return showSub(static_cast<int>(m_model.run().subs.size()) - 1);
    QWidget::keyPressEvent(e);
}

void Subs::showEvent(QShowEvent* e) {
    QWidget::showEvent(e);
    setFocus(); // its keys work at once
}

void Subs::themeChanged() {
    m_view->update();
    m_chart->update();
    fill();
    fillRun();
}

QByteArray Subs::saveLayout() const {
    QByteArray out;
    QDataStream to(&out, QIODevice::WriteOnly);
    to << m_across->saveState() << m_down->saveState();
    return out;
}

void Subs::restoreLayout(const QByteArray& state) {
    QByteArray across, down;
    QDataStream in(state);
    in >> across >> down;
    m_across->restoreState(across);
    m_down->restoreState(down);
}

} // namespace caelumen
