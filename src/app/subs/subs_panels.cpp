#include "app/subs/live_panel.h"
#include "app/subs/run_table.h"
#include "app/subs/sub_view.h"
#include "app/subs/subs.h"
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
#include <QStyledItemDelegate>
#include <QTabWidget>
#include <QTableView>
#include <QTimeZone>
#include <QToolButton>
#include <QVBoxLayout>

#include <cmath>

namespace caelumen {
namespace {

/// Items of several lines: the list forgets its own spacing when it works out how high they are.
class WrappedItems : public QStyledItemDelegate {
public:
    explicit WrappedItems(QListWidget* list)
        : QStyledItemDelegate(list)
        , m_list(list) {}
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const int width = m_list->viewport()->width() - 2 * m_list->spacing() - 12;
        const QRect text = option.fontMetrics.boundingRect(QRect(0, 0, width, 10'000), Qt::TextWordWrap, index.data().toString());
        return {width, text.height() + 6};
    }

private:
    QListWidget* m_list;
};

} // namespace

QWidget* Subs::buildLeft() {
    auto* left = new QWidget;
    auto* layout = new QVBoxLayout(left);
    layout->setContentsMargins(12, 8, 4, 10);
    layout->addWidget(headingLabel(tr("Runs")));
    m_runs->setAccessibleName(tr("Runs"));
    m_runs->setWordWrap(true);
    for (QListWidget* list : {m_runs, m_others})
        list->setItemDelegate(new WrappedItems(list)), list->setSpacing(3), list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff),
            list->setResizeMode(QListView::Adjust), list->setTextElideMode(Qt::ElideNone);
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
    auto* back = quietButton(QString::fromUtf8("\u2039"), tr("The sub before (Left)"));
    auto* on = quietButton(QString::fromUtf8("\u203A"), tr("The next sub (Right)"));
    row->addWidget(back);
    row->addWidget(m_playButton);
    row->addWidget(on);
    row->addSpacing(8);
    row->addWidget(m_whole);
    row->addStretch(1);
    m_whole->setCheckable(true);
    m_follow->setCheckable(true);
    m_follow->setChecked(true);
    row->insertWidget(row->count() - 1, m_follow);
    auto* keep = quietButton(tr("Keep"), tr("Count this sub whatever was found (K)"));
    auto* out = quietButton(tr("Leave out"), tr("Do not count this sub (X)"));
    auto* judged = quietButton(tr("As judged"), tr("Take the verdict as it is (J)"));
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
    for (const auto q : {SubChart::Quantity::Sky, SubChart::Quantity::Transparency, SubChart::Quantity::Fwhm, SubChart::Quantity::Eccentricity,
                         SubChart::Quantity::Tilt, SubChart::Quantity::Stars, SubChart::Quantity::Gradient})
        m_quantity->addItem(SubChart::nameOf(q), static_cast<int>(q));
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
    const auto limit = [&](const QString& label, double CullLimits::*member, double low, double high, double step, int digits, const QString& tip) {
        auto* box = new QDoubleSpinBox;
        box->setRange(low, high);
        box->setSingleStep(step);
        box->setDecimals(digits);
        box->setKeyboardTracking(false); // a number that is being typed is nobody's limit yet
        box->setAccessibleName(label);
        box->setToolTip(tip);
        form->addRow(label, box);
        m_limits.emplace_back(box, member);
        const int merge = static_cast<int>(m_limits.size());
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, member, merge](double v) {
            if (!m_filling) editDecisions(tr("Limits"), merge, [&](SubsDecisions& d) { d.limits.*member = v; });
        });
    };
    limit(tr("Transparency at least"), &CullLimits::transparency, 0, 1, 0.01, 2,
          tr("Of the run's best decile; what the air takes with altitude is allowed for where place and target are known"));
    limit(tr("FWHM at most, times"), &CullLimits::fwhm, 1, 10, 0.05, 2, tr("The run's median"));
    limit(tr("Eccentricity at most, plus"), &CullLimits::eccentricity, 0, 1, 0.01, 2, tr("Above the run's median"));
    limit(tr("Sky at most, times"), &CullLimits::sky, 1, 100, 0.05, 2, tr("The sky of the subs before and after: a slow rise under the moon passes"));
    limit(tr("Stars at least, times"), &CullLimits::stars, 0, 1, 0.05, 2, tr("The run's median count"));
    limit(tr("Corners off by at most"), &CullLimits::vignette, 0, 10, 0.01, 2, tr("Change of the sky's shape against the run: flats, dew, an obstacle"));
    limit(tr("Worst corner at most, plus"), &CullLimits::tilt, 0, 10, 0.01, 2, tr("FWHM in the worst corner over the middle's, above the run's median"));
    auto *fair = new QPushButton(tr("For a fair test")), *usual = new QPushButton(tr("For a picture"));
    fair->setToolTip(tr("Tight: filters are compared under one sky, so thin cloud, drifting focus and flares of the sky count"));
    usual->setToolTip(tr("Wide: every photon helps"));
    form->addRow(QString(), fair);
    connect(fair, &QPushButton::clicked, this,
            [this] { editDecisions(tr("Limits for a fair test"), 0, [](SubsDecisions& d) { d.limits = CullLimits::forFairTest(); }); });
    form->addRow(QString(), usual);
    connect(usual, &QPushButton::clicked, this, [this] { editDecisions(tr("Limits for a picture"), 0, [](SubsDecisions& d) { d.limits = {}; }); });
    auto* words = new QLabel(tr("Every limit is against the run itself. What you decide on a sub yourself stands whatever the limits say. Straight trails "
                                "alone reject nothing: clipping takes them out."));
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
        box->setKeyboardTracking(false);
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
    scroll->setFocusPolicy(Qt::NoFocus); // it follows what has the focus
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
    m_table->verticalHeader()->setDefaultSectionSize(letters(22));
    m_table->setAccessibleName(tr("Subs"));
    m_table->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(m_table, tr("Verdicts"));
    m_tabs->addTab(m_runTable, tr("All runs"));
    connect(m_runTable, &RunTable::chosen, &m_model, &SubsModel::choose);
    m_tabs->addTab(m_live, tr("Evidence"));
    m_tabs->setTabToolTip(m_tabs->count() - 1, tr("What the night has told of its filters so far, and whether it may end"));
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
    m_lines->setToolTip(tr("Hydrogen or sulphur from red, oxygen from green and blue by their noise, beside the stack; with the crosstalk of filter and camera "
                           "where the curve is known"));
    m_stackAll->setToolTip(tr("Each run in the same way; the stacks become a trial, with the first run as its baseline until you say otherwise"));
    connect(m_stackRun, &QPushButton::clicked, this, &Subs::stackRun);
    connect(m_stackAll, &QPushButton::clicked, this, &Subs::stackAll);
    connect(m_lines, &QPushButton::clicked, this, &Subs::separateLines);
    connect(m_table->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        if (!m_filling && now.isValid()) showSub(now.row());
    });
    return right;
}

} // namespace caelumen
