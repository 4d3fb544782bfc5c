#include "app/kit/kit.h"

#include "app/kit/filter_table.h"
#include "app/kit/ghost_panel.h"
#include "app/kit/passband_plot.h"
#include "app/kit/slider_ratio.h"
#include "app/marker_icon.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"
#include "core/optics/starter.h"
#include "report/filter_style.h"
#include "report/local_number.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHash>
#include <QImageReader>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>
#include <QSettings>
#include <QSignalBlocker>
#include <QSlider>
#include <QSplitter>
#include <QTabWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// The page; photos are read once, at the size in which they are shown: it is written anew at every step of the slider.
class Page : public QTextBrowser {
    QVariant loadResource(int type, const QUrl& name) override {
        if (type != QTextDocument::ImageResource || !name.isLocalFile()) return QTextBrowser::loadResource(type, name);
        const auto known = m_photos.constFind(name.toLocalFile());
        if (known != m_photos.constEnd()) return *known;
        QImageReader reader(name.toLocalFile());
        reader.setAutoTransform(true);
        if (const QSize size = reader.size(); size.isValid()) reader.setScaledSize(size.scaled(300, 300, Qt::KeepAspectRatio));
        return *m_photos.insert(name.toLocalFile(), reader.read());
    }
    QHash<QString, QImage> m_photos;
};

} // namespace

Kit::Kit(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_filters(new QListWidget)
    , m_import(new QPushButton(tr("Import a curve \u2026")))
    , m_chart(new QPushButton(tr("Read a chart \u2026")))
    , m_edit(new QPushButton(tr("Facts of the filter \u2026")))
    , m_ratio(new QSlider(Qt::Horizontal))
    , m_ratioText(new QLabel)
    , m_obstruction(new QDoubleSpinBox)
    , m_index(new QDoubleSpinBox)
    , m_tilt(new QDoubleSpinBox)
    , m_camera(new QComboBox)
    , m_gain(new QComboBox)
    , m_light(new QComboBox)
    , m_all(new QCheckBox(tr("All filters")))
    , m_plot(new PassbandPlot)
    , m_ratios(new RatioPlot)
    , m_ghosts(new GhostPanel)
    , m_sideBySide(new FilterTable(session))
    , m_lower(new QTabWidget)
    , m_page(new Page)
    , m_across(new QSplitter)
    , m_down(new QSplitter(Qt::Vertical)) {
    connect(&m_jobs, &JobService::failed, this, &Kit::problem);
    m_page->setOpenLinks(false);
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->setAccessibleName(tr("What the curve says"));
    m_page->document()->setDocumentMargin(10);
    QWidget* left = buildLeft();
    m_across->addWidget(left);
    m_across->addWidget(buildMiddle());
    m_across->addWidget(m_page);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({190, 710, 360});
    m_across->setChildrenCollapsible(false);
    left->setMinimumWidth(160);
    m_page->setMinimumWidth(280);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

    connectAll();
    trialChanged();
}

QWidget* Kit::buildLeft() {
    auto* left = new QWidget;
    auto* leftLayout = new QVBoxLayout(left);
    leftLayout->setContentsMargins(12, 8, 4, 10);
    auto* heading = new QLabel(tr("Filters of this trial"));
    heading->setObjectName("heading");
    leftLayout->addWidget(heading);
    leftLayout->addWidget(m_filters, 1);
    leftLayout->addWidget(m_import);
    leftLayout->addWidget(m_chart);
    leftLayout->addWidget(m_edit);
    for (QPushButton* b : {m_import, m_chart, m_edit}) b->setMinimumWidth(b->fontMetrics().horizontalAdvance(b->text()) + 16); // in any language
    leftLayout->addWidget(buildMenus());
    m_chart->setToolTip(tr("Reads the curve off a picture of a printed test chart. The picture can also be dropped here."));
    m_edit->setToolTip(tr("Claims, cone, price and where it came from. A double click does the same."));
    m_filters->setAccessibleName(tr("Filters"));
    m_filters->setIconSize({18, 18});
    m_filters->setWordWrap(true);
    m_filters->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_import->setToolTip(tr("A table of wavelength and transmission (CSV), in any of the usual ways of writing. It can also be dropped here."));
    return left;
}

QWidget* Kit::buildMiddle() {
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(4, 8, 4, 10);
    middleLayout->addWidget(buildControls());
    m_down->addWidget(m_plot);
    m_lower->addTab(m_ratios, tr("Lines against f-ratio"));
    m_lower->addTab(m_ghosts, tr("Halos on the sensor"));
    m_lower->addTab(m_sideBySide, tr("Side by side"));
    connect(m_sideBySide, &FilterTable::chosen, this, &Kit::chooseFilter);
    m_lower->setDocumentMode(true);
    m_down->addWidget(m_lower);
    m_down->setStretchFactor(0, 3);
    m_down->setStretchFactor(1, 1);
    m_down->setSizes({420, 240});
    m_down->setChildrenCollapsible(false);
    middleLayout->addWidget(m_down, 1);
    auto* legend = new QLabel(tr("filled: in the cone \u00B7 dotted: in parallel light \u00B7 long dashes: the maker's \u00B7 grey ground: the chosen light "
                                 "(root of it) \u00B7 thin dashes: the camera's channels"));
    legend->setObjectName("dim");
    legend->setWordWrap(true);
    middleLayout->addWidget(legend);
    return middle;
}

void Kit::connectAll() {
    connect(m_filters, &QListWidget::currentRowChanged, this, &Kit::refresh);
    connect(m_import, &QPushButton::clicked, this, &Kit::askCurve);
    connect(m_chart, &QPushButton::clicked, this, &Kit::askChart);
    connect(m_edit, &QPushButton::clicked, this, &Kit::askFacts);
    connect(m_filters, &QListWidget::itemActivated, this, &Kit::askFacts);
    connect(&m_session, &Session::trialChanged, this, &Kit::trialChanged);
    connect(&m_session, &Session::resultsChanged, this, &Kit::trialChanged);
    connect(m_ghosts, &GhostPanel::gapsEdited, this, [this](const std::map<std::string, double>& gaps) {
        Trial changed = m_session.trial();
        changed.rig.gaps_mm = gaps;
        m_session.edit(tr("Gaps of the rig"), changed);
    });
    connect(m_page, &QTextBrowser::anchorClicked, this, [this](const QUrl& link) {
        if (link.toString() == "tolerance") askTolerance();
        if (link.toString() == "shelf") takeShelved();
    });
}

LightCone Kit::cone() const {
    return {ratioAt(m_ratio->value()), m_obstruction->value(), m_index->value(), m_tilt->value()};
}

QString Kit::currentFilter() const {
    const auto* item = m_filters->currentItem();
    return item ? item->data(Qt::UserRole).toString() : QString();
}

void Kit::chooseFilter(const QString& id) {
    for (int i = 0; i < m_filters->count(); ++i)
        if (m_filters->item(i)->data(Qt::UserRole).toString() == id) m_filters->setCurrentRow(i);
}

FilterStyle Kit::styleOf(const std::string& filter) const {
    const Trial& trial = m_session.trial();
    return filterStyleOf(trial, filter, trial.plan ? trial.plan->filters : std::vector<std::string>{}, theme().isRed());
}

QColor Kit::colourOf(const std::string& filter) const {
    return styleOf(filter).colour;
}

void Kit::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (m_stale) trialChanged();
}

void Kit::trialChanged() {
    if (const int own = m_camera->findData(QString::fromStdString(m_session.trial().rig.camera)); own >= 0 && own != m_camera->currentIndex()) {
        const QSignalBlocker quiet(m_camera);
        m_camera->setCurrentIndex(own);
        emit cameraChanged();
    }
    m_stale = !isVisible(); // dragging a region on the Bench must not wait for curves
    if (m_stale) return;
    // The cone is the rig's, until a hand moves it.
    if (const Rig rig = m_session.rig(); m_session.hasTrial() && (m_trial != m_session.trialId() || !(rig == m_rig))) {
        m_trial = m_session.trialId();
        m_rig = rig;
        const QSignalBlocker a(m_ratio), b(m_obstruction);
        if (rig.focal_length_mm && rig.aperture_mm && *rig.aperture_mm > 0)
            m_ratio->setValue(positionOf(*rig.focal_length_mm / *rig.aperture_mm));
        else
            m_ratio->setValue(positionOf(5));
        m_obstruction->setValue(rig.obstruction.value_or(0));
    }
    fillGains();
    fillFilters();
    refresh();
}

void Kit::fillFilters() {
    const QString before = currentFilter();
    const QSignalBlocker quiet(m_filters);
    m_filters->clear();
    const Trial& trial = m_session.trial();
    for (const Filter& f : trial.filters) {
        auto* item = new QListWidgetItem(QString::fromStdString(f.name));
        item->setData(Qt::UserRole, QString::fromStdString(f.id));
        item->setToolTip(f.curve.empty() ? tr("%1\nNo curve yet").arg(QString::fromStdString(f.name))
                                         : tr("%1\n%2").arg(QString::fromStdString(f.name), QString::fromStdString(f.curve)));
        item->setIcon(markerIcon(styleOf(f.id)));
        m_filters->addItem(item);
    }
    chooseFilter(before);
    // What can be looked at first: a filter with bands rather than the baseline.
    if (m_filters->currentRow() < 0) m_filters->setCurrentRow(m_filters->count() > 1 ? 1 : 0);
    m_import->setEnabled(m_filters->count() > 0);
    m_chart->setEnabled(m_filters->count() > 0);
    m_edit->setEnabled(m_filters->count() > 0);
    m_remove->setEnabled(m_filters->count() > 0);
}

FilterCurve Kit::curveOf(const Filter& filter) {
    curveIn(filter.curve); // what is wrong with it is told once
    return filterCurve(m_session, filter);
}

const Curve* Kit::curveIn(const std::string& file) {
    if (file.empty()) return nullptr;
    const CurveShelf::Kept& kept = m_session.curve(file);
    if (unsigned& last = m_readings[file]; last != kept.reading) {
        last = kept.reading;
        m_fastest = {};
        if (!kept.problem.empty()) emit problem(QString::fromStdString(kept.problem));
    }
    return kept.curve.empty() ? nullptr : &kept.curve;
}

void Kit::refresh() {
    const std::string chosen = currentFilter().toStdString();
    if (const Filter* f = m_session.trial().filter(chosen); f && chosen != m_indexOf) {
        const QSignalBlocker quiet(m_index);
        m_index->setValue(f->effective_index.value_or(1.8));
        m_indexOf = chosen;
    }
    const LightCone cone = this->cone();
    m_ratioText->setText(QString("f/%1").arg(localNumber(cone.fRatio, 'f', 1)));
    const Trial& trial = m_session.trial();
    const Filter* filter = trial.filter(currentFilter().toStdString());
    const FilterCurve known = filter ? curveOf(*filter) : FilterCurve{};
    const Curve* curve = known.curve.empty() ? nullptr : &known.curve;
    const Camera& camera = this->camera();
    m_facts = {};
    m_facts.filter = filter;
    m_facts.source = known.source;
    m_known = m_session.rig();
    m_facts.rig = &m_known;
    m_facts.camera = &camera;

    PassbandPlot::Content content;
    content.camera = &camera;
    const auto& lamps = m_session.trial().site.lamps;
    content.sky =
        m_light->currentIndex() <= 0 ? streetLight(lamps.value_or(LampMix{})) : starterLights()[static_cast<std::size_t>(m_light->currentIndex())].spectrum;
    const ConeShift shift(cone);
    if (m_all->isChecked())
        for (const Filter& other : trial.filters)
            if (const FilterCurve c = &other != filter ? curveOf(other) : FilterCurve{}; !c.curve.empty())
                content.others.push_back({QString::fromStdString(other.name), colourOf(other.id), shift.apply(c.curve, 0.5)});
    if (curve) {
        takeCurve(*filter, known, cone);
        content.chosen = {QString::fromStdString(filter->name), colourOf(filter->id), *curve};
        content.effective = m_facts.report.effective;
        if (const Curve* said = curveIn(filter->claimed_curve)) content.claimed = *said;
    }
    if (filter) m_facts.contradictions = contradictions(filter->claims);
    if (const Filter* shelved = filter ? onShelf(m_session.shelf(), filter->name) : nullptr) holdAgainst(*filter, *shelved);
    if (!m_ratio->isSliderDown())
        writePage();
    else if (!m_pageLater.isActive())
        m_pageLater.start(); // its tables take longer to set than the plots: a hand that drags must not wait for them
    showGhosts(filter);
    m_sideBySide->show(cone, m_known.pixel_um);
    m_plot->show(content);
    m_ratios->show(curve ? *curve : Curve{}, cone, filter ? colourOf(filter->id) : theme().text);
}

/// What the curve of the filter in hand says in this cone, and what its maker says beside it.
void Kit::takeCurve(const Filter& filter, const FilterCurve& known, const LightCone& cone) {
    const Curve& curve = known.curve;
    m_facts.report = reportPassband(curve, cone, {0.1, false});
    const Fastest wanted{filter.id, filter.curve, cone.obstruction, cone.effectiveIndex, {}};
    if (!(m_fastest == wanted) || m_fastest.lines.empty()) {
        m_fastest = wanted;
        for (const EmissionLine line : kLines) m_fastest.lines.push_back(fastestRatio(curve, line, cone));
    }
    for (std::size_t k = 0; k < kLines.size(); ++k) m_facts.report.lines[k].fastest = m_fastest.lines[k];
    m_facts.system = systemResponse(m_facts.report.effective, *m_facts.camera);
    m_facts.colours = predictColours(m_facts.report.effective, *m_facts.camera);
    // A maker who shifts the bands for a fast cone speaks of that cone.
    std::vector<Band> measured = bandsOf(curve);
    if (filter.made_for_f_ratio) measured = bandsOf(ConeShift({*filter.made_for_f_ratio, cone.obstruction, cone.effectiveIndex, 0}).apply(curve));
    m_facts.tolerance = keptTolerance();
    std::vector<BandClaim> claims = filter.claims;
    if (const Curve* said = claims.empty() ? curveIn(filter.claimed_curve) : nullptr) // then the maker's own curve is the claim
        for (const Band& b : bandsOf(*said)) claims.push_back({b.center_nm, b.fwhm_nm, b.peak});
    if (known.source == CurveSource::Measured || (known.source == CurveSource::Makers && !filter.claims.empty()))
        m_facts.claims = checkClaims(claims, measured, m_facts.tolerance); // nothing proves itself
    if (filter.claimed_density && (known.source == CurveSource::Measured || known.source == CurveSource::Makers))
        m_facts.density = checkDensity(*filter.claimed_density, m_facts.report.leaks, finestStep(curve));
    m_facts.skyBrightness = skyBrightness(m_session.trial().site);
    m_facts.frame = m_session.frameSize();
    takeMeasured(filter, ConeShift(cone));
    m_facts.warnings = systemWarnings(m_facts.system, *m_facts.camera, m_facts.report.effective);
}

/// What differs from the same filter as the campaign has it.
void Kit::holdAgainst(const Filter& filter, const Filter& shelved) {
    m_facts.otherwise = differences(filter, shelved);
    const auto sameCurve = [&](const std::string& a, const std::string& b) { // the same measurement under another name
        const Curve *own = curveIn(a), *other = curveIn(b);
        return own && other && own->wavelength_nm == other->wavelength_nm && own->transmission == other->transmission;
    };
    if (sameCurve(filter.curve, shelved.curve)) std::erase(m_facts.otherwise, "curve");
    if (sameCurve(filter.claimed_curve, shelved.claimed_curve)) std::erase(m_facts.otherwise, "maker's curve");
}

void Kit::writePage() {
    m_pageLater.stop();
    const int at = m_page->verticalScrollBar()->value();
    m_page->setHtml(kitPage(m_facts));
    m_page->verticalScrollBar()->setValue(at);
}

void Kit::takeMeasured(const Filter& filter, const ConeShift& shift) {
    const Run* base = m_session.trial().baseline();
    const Filter* open = base ? m_session.trial().filter(base->filter) : nullptr;
    if (const FilterCurve known = open ? curveOf(*open) : FilterCurve{}; !known.curve.empty() && known.source != CurveSource::NoFilter) {
        m_facts.baseline = QString::fromStdString(open->name);
        m_facts.baselineSystem = systemResponse(shift.apply(known.curve, 0.5), *m_facts.camera);
    }
    const TrialResults* results = m_session.results();
    if (!results) return;
    for (const Measurement& m : results->measurements) {
        const Run* run = m_session.trial().run(m.run);
        if (!run || run->filter != filter.id) continue;
        if (m.quantity == q::starThroughput) m_facts.starThroughput.try_emplace(m.channel, KitFacts::Measured{m.value, m.sigma});
        if (m.quantity == q::throughput) m_facts.nebulaThroughput[m.region].try_emplace(m.channel, KitFacts::Measured{m.value, m.sigma});
    }
}

void Kit::showGhosts(const Filter* filter) {
    GhostPanel::Content c;
    c.rig = m_session.rig();
    c.fRatio = cone().fRatio;
    c.obstruction = cone().obstruction;
    c.glass_mm = filter && filter->thickness_mm ? filter->thickness_mm : c.rig.filter_thickness_mm;
    c.sensor = m_session.frameSize();
    m_ghosts->show(c);
}

const Camera& Kit::camera() const {
    return m_cameras[static_cast<std::size_t>(std::max(0, m_camera->currentIndex()))];
}

void Kit::themeChanged() {
    fillFilters();
    refresh();
}

QByteArray Kit::saveLayout() const {
    return m_across->saveState();
}
void Kit::restoreLayout(const QByteArray& state) {
    m_across->restoreState(state);
}

} // namespace caelumen
