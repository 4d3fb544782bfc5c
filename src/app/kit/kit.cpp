#include "app/kit/kit.h"

#include "app/kit/filter_table.h"
#include "app/kit/ghost_panel.h"
#include "app/kit/passband_plot.h"
#include "app/widgets/theme.h"
#include "core/optics/starter.h"
#include "report/filter_style.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHash>
#include <QHBoxLayout>
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

// The slider goes by the logarithm: a step is one per cent of the f-ratio.
constexpr double kFastest = 1, kSlowest = 32;
int positionOf(double fRatio) { return static_cast<int>(std::lround(100 * std::log(std::clamp(fRatio, kFastest, kSlowest) / kFastest))); }
double ratioAt(int position) { return kFastest * std::exp(position / 100.0); }

QIcon markerIcon(const FilterStyle& style) {
    QPixmap pixmap(32, 32);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(16, 16);
    painter.setBrush(style.colour);
    painter.setPen(Qt::NoPen);
    painter.drawPath(style.marker(10));
    return QIcon(pixmap);
}

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
    : QWidget(parent), m_session(session), m_prompts(prompts), m_filters(new QListWidget), m_import(new QPushButton(tr("Import a curve \u2026"))), m_chart(new QPushButton(tr("Read a chart \u2026"))), m_edit(new QPushButton(tr("Facts of the filter \u2026"))), m_ratio(new QSlider(Qt::Horizontal)), m_ratioText(new QLabel),
      m_obstruction(new QDoubleSpinBox), m_index(new QDoubleSpinBox), m_tilt(new QDoubleSpinBox), m_camera(new QComboBox), m_gain(new QComboBox), m_light(new QComboBox), m_all(new QCheckBox(tr("All filters"))), m_plot(new PassbandPlot), m_ratios(new RatioPlot), m_ghosts(new GhostPanel), m_sideBySide(new FilterTable(session)), m_lower(new QTabWidget), m_page(new Page), m_across(new QSplitter),
      m_down(new QSplitter(Qt::Vertical)) {
    connect(&m_jobs, &JobService::failed, this, &Kit::problem);
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
    leftLayout->addWidget(buildMenus());
    m_chart->setToolTip(tr("Reads the curve off a picture of a printed test chart. The picture can also be dropped here."));
    m_edit->setToolTip(tr("Claims, cone, price and where it came from. A double click does the same."));
    m_filters->setAccessibleName(tr("Filters"));
    m_filters->setIconSize({18, 18});
    m_filters->setWordWrap(true);
    m_filters->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_import->setToolTip(tr("A table of wavelength and transmission (CSV), in any of the usual ways of writing. It can also be dropped here."));

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
    auto* legend = new QLabel(tr("filled: in the cone \u00B7 dotted: in parallel light \u00B7 long dashes: the maker's \u00B7 grey ground: the chosen light (root of it) \u00B7 thin dashes: the camera's channels"));
    legend->setObjectName("dim");
    legend->setWordWrap(true);
    middleLayout->addWidget(legend);

    m_page->setOpenLinks(false);
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->setAccessibleName(tr("What the curve says"));
    m_page->document()->setDocumentMargin(10);
    m_across->addWidget(left);
    m_across->addWidget(middle);
    m_across->addWidget(m_page);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({190, 710, 360});
    m_across->setChildrenCollapsible(false);
    left->setMinimumWidth(160);
    m_page->setMinimumWidth(280);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

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
    });
    trialChanged();
}

QWidget* Kit::buildControls() {
    auto* bar = new QWidget;
    auto* both = new QVBoxLayout(bar);
    both->setContentsMargins(4, 0, 4, 4);
    both->setSpacing(4);
    auto* row = new QHBoxLayout;
    auto* second = new QHBoxLayout;
    both->addLayout(row);
    both->addLayout(second);
    m_ratio->setRange(0, positionOf(kSlowest));
    m_ratio->setPageStep(10);
    m_ratio->setValue(positionOf(5));
    m_ratio->setAccessibleName(tr("f-ratio"));
    m_ratio->setMinimumWidth(90);
    m_camera->setMinimumContentsLength(20);
    m_ratioText->setMinimumWidth(40);
    m_obstruction->setRange(0, 0.95);
    m_obstruction->setSingleStep(0.05);
    m_obstruction->setToolTip(tr("Central obstruction: diameter of the hole over that of the pupil"));
    m_index->setRange(1.4, 2.2);
    m_index->setSingleStep(0.05);
    m_index->setValue(1.8);
    m_tilt->setRange(0, 15);
    m_tilt->setSingleStep(0.5);
    m_tilt->setDecimals(1);
    m_tilt->setSuffix(QString::fromUtf8("\u00B0"));
    m_tilt->setToolTip(tr("Of the filter against the middle of the cone"));
    m_tilt->setAccessibleName(tr("Tilt"));
    connect(m_tilt, &QDoubleSpinBox::valueChanged, this, &Kit::refresh);
    m_index->setToolTip(tr("Effective index of the coating: the lower, the more the bands move. Makers who know it say it; 1.8 is usual."));
    fillCameras({});
    for (const StarterLight& l : starterLights()) {
        m_light->addItem(QString::fromStdString(l.name));
        m_light->setItemData(m_light->count() - 1, QString::fromStdString(l.source), Qt::ToolTipRole);
    }
    m_light->setToolTip(tr("The light that is drawn as grey ground; each says where its model comes from."));
    m_light->setAccessibleName(tr("Light"));
    connect(m_light, &QComboBox::currentIndexChanged, this, &Kit::refresh);
    m_camera->setToolTip(tr("Whose channels are drawn and counted: typical ones, not those of a maker, and your own (Kit, Add a camera)"));
    m_all->setToolTip(tr("Draw the other filters too, in the same cone"));
    auto* whole = new QPushButton(tr("Infrared"));
    whole->setCheckable(true);
    whole->setToolTip(tr("Show the near infrared too, to 1000 nm"));
    row->addWidget(new QLabel(tr("Cone")));
    row->addWidget(m_ratio, 1);
    row->addWidget(m_ratioText);
    row->addSpacing(6);
    row->addWidget(new QLabel(tr("obstruction")));
    row->addWidget(m_obstruction);
    row->addWidget(new QLabel(tr("index")));
    row->addWidget(m_index);
    row->addWidget(new QLabel(tr("tilt")));
    row->addWidget(m_tilt);
    second->addWidget(new QLabel(tr("Camera")));
    second->addWidget(m_camera);
    second->addWidget(m_gain);
    m_gain->setAccessibleName(tr("Gain"));
    m_gain->setToolTip(tr("The gain that is planned with: its electrons per ADU and read noise are the camera's"));
    m_camera->setAccessibleName(tr("Camera"));
    second->addSpacing(6);
    second->addWidget(new QLabel(tr("Light")));
    second->addWidget(m_light);
    second->addStretch(1);
    second->addWidget(m_all);
    second->addSpacing(6);
    second->addWidget(whole);
    m_pageLater.setSingleShot(true);
    m_pageLater.setInterval(150);
    connect(&m_pageLater, &QTimer::timeout, this, &Kit::writePage);
    connect(m_ratio, &QSlider::sliderReleased, this, &Kit::writePage);
    restoreChoices();
    fillGains();
    connect(m_camera, &QComboBox::activated, this, &Kit::giveCamera);
    connect(m_gain, &QComboBox::activated, this, [this](int i) {
        if (!m_session.hasTrial()) return;
        Trial changed = m_session.trial();
        changed.rig.gain_setting = camera().gains[static_cast<std::size_t>(i)].setting;
        if (changed.rig.camera.empty()) changed.rig.camera = camera().id;
        m_session.edit(tr("Gain"), changed);
    });
    for (QComboBox* box : {m_camera, m_light}) connect(box, &QComboBox::currentIndexChanged, this, &Kit::keepChoices);
    connect(m_tilt, &QDoubleSpinBox::valueChanged, this, &Kit::keepChoices);
    connect(m_ratio, &QSlider::valueChanged, this, &Kit::refresh);
    connect(m_obstruction, &QDoubleSpinBox::valueChanged, this, &Kit::refresh);
    connect(m_index, &QDoubleSpinBox::valueChanged, this, &Kit::refresh);
    connect(m_camera, &QComboBox::currentIndexChanged, this, &Kit::refresh);
    connect(m_all, &QCheckBox::toggled, this, &Kit::refresh);
    connect(whole, &QPushButton::toggled, this, [this](bool on) { m_plot->showRange(on ? 370 : 400, on ? 1000 : 720); });
    return bar;
}

/// The camera belongs to the rig: who plans and who looks at filters see through the same.
void Kit::giveCamera() {
    if (!m_session.hasTrial() || m_session.trial().rig.camera == camera().id) return;
    Trial changed = m_session.trial();
    changed.rig.camera = camera().id;
    changed.rig.gain_setting.reset();
    m_session.edit(tr("Camera of the rig"), changed);
}

void Kit::fillGains() {
    const QSignalBlocker quiet(m_gain);
    m_gain->clear();
    const GainStep* chosen = camera().gainAt(m_session.trial().rig.gain_setting);
    for (const GainStep& g : camera().gains) {
        m_gain->addItem(tr("gain %1").arg(g.setting));
        m_gain->setItemData(m_gain->count() - 1, tr("%1 e\u207B/ADU").arg(g.e_per_adu) + (g.read_noise_e ? tr(", read noise %1 e\u207B").arg(*g.read_noise_e) : QString()), Qt::ToolTipRole);
        if (&g == chosen) m_gain->setCurrentIndex(m_gain->count() - 1);
    }
    m_gain->setVisible(m_gain->count() > 0);
}

void Kit::keepChoices() {
    QSettings settings;
    settings.setValue("kit/camera", m_camera->currentData());
    settings.setValue("kit/light", m_light->currentText());
    settings.setValue("kit/tilt", m_tilt->value());
    emit cameraChanged();
}

void Kit::restoreChoices() {
    const QSettings settings;
    const QSignalBlocker a(m_camera), b(m_light), c(m_tilt);
    m_camera->setCurrentIndex(std::max(0, m_camera->findData(settings.value("kit/camera"))));
    m_light->setCurrentIndex(std::max(0, m_light->findText(settings.value("kit/light").toString())));
    m_tilt->setValue(settings.value("kit/tilt", 0).toDouble());
}

QWidget* Kit::buildMenus() {
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    const auto button = [&](const QString& text, const QString& tip) {
        auto* b = new QPushButton(text);
        b->setToolTip(tip);
        auto* menu = new QMenu(b);
        b->setMenu(menu);
        row->addWidget(b, 1);
        return menu;
    };
    QMenu* filters = button(tr("Filters"), tr("Add filters to plan with, or take one away"));
    QMenu* starter = filters->addMenu(tr("Add from the starter library"));
    starter->setToolTipsVisible(true);
    for (const StarterFilter& f : starterFilters()) starter->addAction(QString::fromStdString(f.name), this, [this, id = f.id] { addStarter(id); })->setToolTip(QString::fromStdString(f.source));
    filters->addAction(tr("New filter \u2026"), this, &Kit::newFilter)->setToolTip(tr("One that is not in hand yet: its claims are enough to plan with"));
    filters->addAction(tr("No filter"), this, &Kit::addNoFilter)->setToolTip(tr("The empty place, as a baseline"));
    filters->addAction(tr("Import the maker's curve \u2026"), this, &Kit::askClaimedCurve)->setToolTip(tr("Drawn beside the measured one; where no band is claimed in words it is the claim"));
    m_remove = filters->addAction(tr("Remove this filter"), this, &Kit::removeFilter);
    QMenu* kit = button(tr("Kit"), tr("Carry filters, telescope and place from one campaign to another"));
    kit->addAction(tr("Telescope of the trial \u2026"), this, &Kit::askRig);
    kit->addAction(tr("Place of the trial \u2026"), this, &Kit::askSite);
    kit->addSeparator();
    kit->addAction(tr("Describe this camera \u2026"), this, &Kit::askCameraFacts)->setToolTip(tr("Window, pixels, gains and channels; a typical camera is copied first"));
    kit->addAction(tr("Add a camera \u2026"), this, &Kit::askCamera);
    kit->addAction(tr("Export this camera \u2026"), this, &Kit::askExportCamera);
    kit->addAction(tr("Remove this camera"), this, &Kit::removeCamera);
    kit->addSeparator();
    kit->addAction(tr("Export the kit \u2026"), this, &Kit::askExport);
    kit->addAction(tr("Import a kit or table \u2026"), this, &Kit::askImport);
    return both;
}

LightCone Kit::cone() const { return {ratioAt(m_ratio->value()), m_obstruction->value(), m_index->value(), m_tilt->value()}; }

QString Kit::currentFilter() const {
    const auto* item = m_filters->currentItem();
    return item ? item->data(Qt::UserRole).toString() : QString();
}

void Kit::chooseFilter(const QString& id) {
    for (int i = 0; i < m_filters->count(); ++i)
        if (m_filters->item(i)->data(Qt::UserRole).toString() == id) m_filters->setCurrentRow(i);
}

QColor Kit::colourOf(const std::string& filter) const {
    const auto& runs = m_session.trial().runs;
    for (std::size_t i = 0; i < runs.size(); ++i)
        if (runs[i].filter == filter) return filterStyle(static_cast<int>(i), runs[i].baseline, theme().isRed()).colour;
    return theme().text;
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
        if (rig.focal_length_mm && rig.aperture_mm && *rig.aperture_mm > 0) m_ratio->setValue(positionOf(*rig.focal_length_mm / *rig.aperture_mm));
        else m_ratio->setValue(positionOf(5));
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
        item->setToolTip(f.curve.empty() ? tr("%1\nNo curve yet").arg(QString::fromStdString(f.name)) : tr("%1\n%2").arg(QString::fromStdString(f.name), QString::fromStdString(f.curve)));
        for (std::size_t i = 0; i < trial.runs.size(); ++i)
            if (trial.runs[i].filter == f.id) {
                item->setIcon(markerIcon(filterStyle(static_cast<int>(i), trial.runs[i].baseline, theme().isRed())));
                break;
            }
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
    m_ratioText->setText(QString("f/%1").arg(cone.fRatio, 0, 'f', 1));
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
    content.sky = m_light->currentIndex() <= 0 ? streetLight(lamps.value_or(LampMix{})) : starterLights()[static_cast<std::size_t>(m_light->currentIndex())].spectrum;
    const ConeShift shift(cone);
    if (m_all->isChecked())
        for (const Filter& other : trial.filters)
            if (const FilterCurve c = &other != filter ? curveOf(other) : FilterCurve{}; !c.curve.empty()) content.others.push_back({QString::fromStdString(other.name), colourOf(other.id), shift.apply(c.curve, 0.5)});
    if (curve) {
        m_facts.report = reportPassband(*curve, cone, {0.1, false});
        const Fastest wanted{filter->id, filter->curve, cone.obstruction, cone.effectiveIndex, {}};
        if (!(m_fastest == wanted) || m_fastest.lines.empty()) {
            m_fastest = wanted;
            for (const EmissionLine line : kLines) m_fastest.lines.push_back(fastestRatio(*curve, line, cone));
        }
        for (std::size_t k = 0; k < kLines.size(); ++k) m_facts.report.lines[k].fastest = m_fastest.lines[k];
        m_facts.system = systemResponse(m_facts.report.effective, camera);
        m_facts.colours = predictColours(m_facts.report.effective, camera);
        // A maker who shifts the bands for a fast cone speaks of that cone.
        std::vector<Band> measured = bandsOf(*curve);
        if (filter->made_for_f_ratio) measured = bandsOf(ConeShift({*filter->made_for_f_ratio, cone.obstruction, cone.effectiveIndex, 0}).apply(*curve));
        m_facts.tolerance = keptTolerance();
        std::vector<BandClaim> claims = filter->claims;
        if (const Curve* said = curveIn(filter->claimed_curve)) {
            content.claimed = *said;
            if (claims.empty()) // then the maker's own curve is the claim
                for (const Band& b : bandsOf(*said)) claims.push_back({b.center_nm, b.fwhm_nm, b.peak});
        }
        if (known.source == CurveSource::Measured || (known.source == CurveSource::Makers && !filter->claims.empty())) m_facts.claims = checkClaims(claims, measured, m_facts.tolerance); // nothing proves itself
        m_facts.skyBrightness = skyBrightness(trial.site);
        m_facts.frame = m_session.frameSize();
        takeMeasured(*filter, shift);
        m_facts.warnings = systemWarnings(m_facts.system, camera, m_facts.report.effective);
        content.chosen = {QString::fromStdString(filter->name), colourOf(filter->id), *curve};
        content.effective = m_facts.report.effective;
    }
    if (filter) m_facts.contradictions = contradictions(filter->claims);
    if (!m_ratio->isSliderDown()) writePage();
    else if (!m_pageLater.isActive()) m_pageLater.start(); // its tables take longer to set than the plots: a hand that drags must not wait for them
    showGhosts(filter);
    m_sideBySide->show(cone, m_known.pixel_um);
    m_plot->show(content);
    m_ratios->show(curve ? *curve : Curve{}, cone, filter ? colourOf(filter->id) : theme().text);
}

void Kit::writePage() {
    m_pageLater.stop();
    const int at = m_page->verticalScrollBar()->value();
    if (!m_facts.filter) m_page->setHtml(QString("<p style='color:%1'>%2</p>").arg(theme().dim.name(), tr("No trial is open. Drop stacked frames on the window, or open a campaign.").toHtmlEscaped()));
    else m_page->setHtml(QString("<h3 style='margin-bottom:2px'>%1</h3>").arg(QString::fromStdString(m_facts.filter->name).toHtmlEscaped()) + kitPage(m_facts));
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
        if (m.quantity == "star_throughput") m_facts.starThroughput.try_emplace(m.channel, KitFacts::Measured{m.value, m.sigma});
        if (m.quantity == "throughput") m_facts.nebulaThroughput[m.region].try_emplace(m.channel, KitFacts::Measured{m.value, m.sigma});
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

const Camera& Kit::camera() const { return m_cameras[static_cast<std::size_t>(std::max(0, m_camera->currentIndex()))]; }

void Kit::themeChanged() {
    fillFilters();
    refresh();
}

QByteArray Kit::saveLayout() const { return m_across->saveState(); }
void Kit::restoreLayout(const QByteArray& state) { m_across->restoreState(state); }

} // namespace caelumen
