#include "app/grid/sky_grid.h"

#include "app/camera_shelf.h"
#include "app/grid/grid_text.h"
#include "app/grid/moon_map.h"
#include "app/grid/predicted_view.h"
#include "app/grid/slice_plot.h"
#include "app/widgets/column_scroll.h"
#include "app/widgets/copied.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/page_ink.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/grid/grid_out.h"
#include "report/local_number.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QSlider>
#include <QSplitter>
#include <QTabWidget>
#include <QTextBrowser>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QWidget* with(QSlider* s, QLabel* text) {
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(s, 1);
    text->setMinimumWidth(text->fontMetrics().horizontalAdvance("000 mag "));
    text->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    row->addWidget(text);
    return box;
}

/// Moons that people wait for or put up with.
constexpr std::array kMoons{std::pair{0.0, "none"}, std::pair{0.25, "crescent"}, std::pair{0.5, "half"}, std::pair{0.8, "gibbous"}, std::pair{1.0, "full"}};

/// A slider's place for a brightness: rayleighs by tenths of a decade, magnitudes by tenths.
double brightnessAt(int position, bool lines) {
    return lines ? std::pow(10, position / 10.0) : 18 + position / 10.0;
}
int placeOfBrightness(double brightness, bool lines) {
    return static_cast<int>(std::lround(lines ? 10 * std::log10(brightness) : 10 * (brightness - 18)));
}

} // namespace

SkyGrid::SkyGrid(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_kind(new QComboBox)
    , m_quantity(new QComboBox)
    , m_moonBox(new QComboBox)
    , m_camera(new QComboBox)
    , m_lit(panelSlider(0, 20, 0, tr("Lit part of the moon")))
    , m_moonHeight(panelSlider(5, 85, 45, tr("Height of the moon")))
    , m_away(panelSlider(5, 150, 60, tr("Moon to target")))
    , m_lamps(panelSlider(0, 20, 10, tr("Lamps, from sodium to LED")))
    , m_height(panelSlider(20, 90, 60, tr("Height of the target")))
    , m_ratio(panelSlider(14, 120, 50, tr("f-ratio")))
    , m_nitrogen(panelSlider(0, 20, 7, tr("Nitrogen over hydrogen")))
    , m_brightness(panelSlider(-10, 30, 7, tr("Brightness of the target")))
    , m_reading(new QDoubleSpinBox)
    , m_lampsFitted(new QCheckBox(tr("lamps as fitted")))
    , m_ownRatio(new QCheckBox(tr("the telescope's own")))
    , m_litText(new QLabel)
    , m_moonHeightText(new QLabel)
    , m_awayText(new QLabel)
    , m_lampsText(new QLabel)
    , m_heightText(new QLabel)
    , m_ratioText(new QLabel)
    , m_nitrogenText(new QLabel)
    , m_brightnessText(new QLabel)
    , m_brightnessLabel(new QLabel(tr("Target")))
    , m_map(new GridMap)
    , m_moonMap(new MoonMap)
    , m_lines(new SlicePlot)
    , m_picture(new PredictedView)
    , m_hours(panelSlider(-8, 20, 4, tr("Hours of light")))
    , m_hoursText(new QLabel)
    , m_tabs(new QTabWidget)
    , m_page(new QTextBrowser)
    , m_across(new QSplitter) {
    fillTabs();
    m_page->setOpenLinks(false);
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->document()->setDocumentMargin(10);
    m_page->setAccessibleName(tr("What a cell rests on"));
    m_page->setMinimumWidth(280);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(4, 8, 4, 10);
    middleLayout->addWidget(m_tabs);
    m_across->addWidget(buildLeft());
    m_across->addWidget(middle);
    m_across->addWidget(m_page);
    m_across->setStretchFactor(0, 0);
    m_across->setStretchFactor(1, 3);
    m_across->setStretchFactor(2, 1);
    m_across->setSizes({236, 704, 340});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

    connectAll();
}

void SkyGrid::fillTabs() {
    auto* scroll = new QScrollArea;
    scroll->setWidget(m_map);
    scroll->setFocusPolicy(Qt::NoFocus); // the map scrolls itself
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(scroll, tr("Map"));
    m_tabs->addTab(m_lines, tr("Lines"));
    m_tabs->addTab(m_moonMap, tr("Moon and sky"));
    auto* pictureBox = new QWidget;
    auto* pictureLayout = new QVBoxLayout(pictureBox);
    pictureLayout->setContentsMargins(0, 6, 0, 0);
    pictureLayout->addWidget(m_picture, 1);
    auto* hoursRow = new QFormLayout;
    hoursRow->setContentsMargins(8, 0, 8, 0);
    hoursRow->addRow(tr("Hours of light"), with(m_hours, m_hoursText));
    pictureLayout->addLayout(hoursRow);
    m_tabs->addTab(pictureBox, tr("Picture"));
}

void SkyGrid::connectAll() {
    connect(&m_model, &SkyGridModel::changed, this, &SkyGrid::fill);
    connect(&m_model, &SkyGridModel::failed, this, &SkyGrid::problem);
    connect(m_page, &QTextBrowser::anchorClicked, this, &SkyGrid::followLink);
    connect(m_map, &GridMap::chosen, this, [this](int cell) {
        const auto columns = m_map->picture().columns.size();
        m_model.chooseFilter(m_map->picture().rows[static_cast<std::size_t>(cell) / columns].filter);
        writePage();
        m_page->verticalScrollBar()->setValue(0);
    });
    connect(m_map, &GridMap::opened, this, [this](int cell) {
        const GridCell& c = m_model.cells()[static_cast<std::size_t>(cell)];
        for (const std::size_t r : c.runs)
            if (const qint64 trial = m_model.trialOf(m_model.grid()->input().runs[r].trial)) return emit benchWanted(trial);
        emit told(tr("No run lies behind this cell."));
    });
    connect(m_tabs, &QTabWidget::currentChanged, this, [this] { m_model.wantPicture(m_tabs->currentWidget()->isAncestorOf(m_picture)); });
    connect(&m_model, &SkyGridModel::pictureChanged, this, &SkyGrid::fillPicture);
    connect(m_hours, &QSlider::valueChanged, this, [this](int v) { m_model.setPictureHours(std::exp2(v / 4.0)); });
    connect(m_map, &GridMap::chosen, this, [this](int cell) { m_model.setPictureSky(m_model.cells()[static_cast<std::size_t>(cell)].sky); });
    connect(m_moonMap, &MoonMap::moonChosen, this, [this](double lit) { m_lit->setValue(static_cast<int>(std::lround(20 * lit))); });
}

QWidget* SkyGrid::buildLeft() {
    for (const TargetKind k : kTargetKinds) m_kind->addItem(coreWord(targetKindLabel(k)));
    for (const GridQuantity q : kGridQuantities) m_quantity->addItem(coreWord(gridQuantityLabel(q)));
    for (const auto& [lit, name] : kMoons) m_moonBox->addItem(tr(name));
    m_moonBox->addItem(tr("as set below"));
    m_kind->setAccessibleName(tr("Kind of target"));
    m_quantity->setAccessibleName(tr("Quantity"));
    m_moonBox->setAccessibleName(tr("Moon"));
    m_camera->setAccessibleName(tr("Camera"));
    m_camera->addItem(tr("the trial's"), QString());
    for (const Camera& c : allCameras()) m_camera->addItem(QString::fromStdString(c.name), QString::fromStdString(c.id));
    for (QComboBox* box : {m_kind, m_quantity, m_moonBox, m_camera})
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon), box->setMinimumContentsLength(12);
    m_lampsFitted->setChecked(true);
    m_ownRatio->setChecked(true);
    auto* panel = new QWidget;
    auto* form = new QFormLayout(panel);
    form->setContentsMargins(12, 10, 8, 10);
    form->setHorizontalSpacing(8);
    form->setVerticalSpacing(6);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->addRow(headingLabel(tr("What is asked")));
    form->addRow(tr("Light of"), m_kind);
    form->addRow(tr("Show"), m_quantity);
    form->addRow(m_brightnessLabel, with(m_brightness, m_brightnessText));
    form->addRow(headingLabel(tr("Moon")));
    form->addRow(tr("Moon"), m_moonBox);
    form->addRow(tr("Lit"), with(m_lit, m_litText));
    form->addRow(tr("Height"), with(m_moonHeight, m_moonHeightText));
    form->addRow(tr("From target"), with(m_away, m_awayText));
    form->addRow(headingLabel(tr("What if")));
    m_reading->setRange(16.4, 22.2);
    m_reading->setSingleStep(0.1);
    m_reading->setSpecialValueText(tr("none"));
    m_reading->setValue(m_reading->minimum());
    m_reading->setAccessibleName(tr("My meter's reading"));
    m_reading->setToolTip(tr("A column for your own sky, mag per square arcsecond"));
    form->addRow(tr("My meter"), m_reading);
    form->addRow(tr("Target's height"), with(m_height, m_heightText));
    form->addRow(QString(), m_lampsFitted);
    form->addRow(tr("Lamps"), with(m_lamps, m_lampsText));
    form->addRow(QString(), m_ownRatio);
    form->addRow(tr("f-ratio"), with(m_ratio, m_ratioText));
    form->addRow(tr("Camera"), m_camera);
    form->addRow(tr("N II / H\u03B1"), with(m_nitrogen, m_nitrogenText));
    connect(m_kind, &QComboBox::activated, this, [this](int i) { m_model.setKind(kTargetKinds[static_cast<std::size_t>(i)]); });
    connect(m_quantity, &QComboBox::activated, this, [this](int i) { m_model.setQuantity(kGridQuantities[static_cast<std::size_t>(i)]); });
    connect(m_moonBox, &QComboBox::activated, this, [this](int i) {
        if (i < static_cast<int>(kMoons.size())) m_lit->setValue(static_cast<int>(std::lround(20 * kMoons[static_cast<std::size_t>(i)].first)));
    });
    for (QSlider* s : {m_lit, m_moonHeight, m_away}) connect(s, &QSlider::valueChanged, this, &SkyGrid::takeMoon);
    for (QSlider* s : {m_lamps, m_height, m_ratio, m_nitrogen}) connect(s, &QSlider::valueChanged, this, &SkyGrid::takeWhatIf);
    for (QCheckBox* c : {m_lampsFitted, m_ownRatio}) connect(c, &QCheckBox::toggled, this, &SkyGrid::takeWhatIf);
    connect(m_camera, &QComboBox::activated, this, &SkyGrid::takeWhatIf);
    connect(m_reading, &QDoubleSpinBox::valueChanged, this, &SkyGrid::takeWhatIf);
    connect(m_brightness, &QSlider::valueChanged, this, [this](int v) {
        if (!m_filling) m_model.setBrightness(brightnessAt(v, shinesInLines(m_model.question().kind)));
    });
    auto* scroll = new ColumnScroll;
    scroll->setWidget(panel);
    scroll->setFocusPolicy(Qt::NoFocus); // it follows what has the focus
    return scroll;
}

void SkyGrid::takeMoon() {
    if (m_filling) return;
    const double lit = m_lit->value() / 20.0;
    m_model.setMoon(lit > 0 ? std::optional(GridMoon{lit, static_cast<double>(m_moonHeight->value()), static_cast<double>(m_away->value())}) : std::nullopt);
    fill();
}

void SkyGrid::takeWhatIf() {
    if (m_filling) return;
    WhatIf w = m_model.whatIf();
    w.altitude_deg = m_height->value();
    w.ledShare = m_lampsFitted->isChecked() ? std::nullopt : std::optional(m_lamps->value() / 20.0);
    w.fRatio = m_ownRatio->isChecked() ? std::nullopt : std::optional(m_ratio->value() / 10.0);
    w.camera = m_camera->currentData().toString();
    w.nitrogen = m_nitrogen->value() / 20.0;
    w.reading = m_reading->value() > m_reading->minimum() ? std::optional(m_reading->value()) : std::nullopt;
    m_model.setWhatIf(w);
    fill();
}

void SkyGrid::fill() {
    m_filling = true;
    const GridQuestion& q = m_model.question();
    const WhatIf& w = m_model.whatIf();
    const bool lines = shinesInLines(q.kind);
    m_kind->setCurrentIndex(static_cast<int>(q.kind));
    m_quantity->setCurrentIndex(static_cast<int>(q.quantity));
    const double lit = m_model.moon() ? m_model.moon()->illuminated : 0;
    int moon = static_cast<int>(kMoons.size());
    for (std::size_t i = 0; i < kMoons.size(); ++i)
        if (std::abs(kMoons[i].first - lit) < 0.01) moon = static_cast<int>(i);
    m_moonBox->setCurrentIndex(moon);
    m_lit->setValue(static_cast<int>(std::lround(20 * lit)));
    if (m_model.moon()) {
        m_moonHeight->setValue(static_cast<int>(m_model.moon()->altitude_deg));
        m_away->setValue(static_cast<int>(m_model.moon()->separation_deg));
    }
    m_litText->setText(lit > 0 ? QString("%1 %").arg(localNumber(100 * lit, 'f', 0)) : tr("down"));
    m_moonHeight->setEnabled(lit > 0), m_away->setEnabled(lit > 0);
    m_moonHeightText->setText(QString("%1\u00B0").arg(m_moonHeight->value()));
    m_awayText->setText(QString("%1\u00B0").arg(m_away->value()));
    m_height->setValue(static_cast<int>(std::lround(w.altitude_deg)));
    m_heightText->setText(QString("%1\u00B0").arg(m_height->value()));
    m_lamps->setEnabled(w.ledShare.has_value());
    m_lampsText->setText(w.ledShare ? tr("%1 % LED").arg(localNumber(100 * *w.ledShare, 'f', 0)) : QString());
    m_ratio->setEnabled(w.fRatio.has_value());
    const double ratio = w.fRatio ? *w.fRatio : m_model.grid() ? m_model.grid()->input().rig.fRatio() : 5;
    m_ratioText->setText(QString("f/%1").arg(localNumber(ratio, 'f', 1)));
    m_nitrogen->setEnabled(q.kind == TargetKind::Emission);
    m_nitrogenText->setText(localNumber(w.nitrogen, 'f', 2));
    const bool needs = q.quantity == GridQuantity::Contrast || q.quantity == GridQuantity::Hours;
    m_brightness->setEnabled(needs);
    m_brightness->setRange(lines ? -10 : 0, lines ? 30 : 110);
    const double brightness = q.brightness.value_or(usualBrightness(q.kind));
    m_brightness->setValue(placeOfBrightness(brightness, lines));
    m_brightnessText->setText(lines ? QString("%1 R").arg(localNumber(brightness, 'g', 3)) : QString("%1 mag").arg(localNumber(brightness, 'f', 1)));
    m_filling = false;
    fillMap();
    writePage();
}

std::vector<FilterStyle> SkyGrid::styles() const {
    std::vector<FilterStyle> out;
    const Trial& t = m_session.trial();
    auto next = static_cast<int>(std::max(t.runs.size(), t.filters.size())); // those of other trials take what is free
    for (const GridFilter& f : m_model.grid()->input().filters)
        out.push_back(t.filter(f.id)
                          ? filterStyleOf(t, f.id, {}, theme().isRed())
                          : filterStyle(f.id == m_model.grid()->input().baseline ? 0 : next++, f.id == m_model.grid()->input().baseline, theme().isRed()));
    return out;
}

GridPicture SkyGrid::pictureOf() const {
    GridPicture out;
    if (!m_model.grid() || m_model.cells().empty()) return out;
    const GridInput& in = m_model.grid()->input();
    const GridQuestion& q = m_model.question();
    const auto all = styles();
    for (std::size_t i = 0; i < in.filters.size(); ++i)
        out.rows.push_back({QString::fromStdString(in.filters[i].id), QString::fromStdString(in.filters[i].name), all[i]});
    out.columns = q.skies;
    for (const GridSky& s : out.columns) {
        QStringList places;
        for (const GridSite& site : in.sites)
            if (const auto stated = site.stated_mag; stated && s.bortle && skyOfReading(*stated, {}).bortle == s.bortle)
                places << QString::fromStdString(site.name);
        out.places.push_back(places.join(", "));
    }
    out.cells = m_model.cells();
    out.quantity = q.quantity;
    const QString unit = gridQuantityUnit(q.quantity);
    QString of = q.quantity == GridQuantity::Contrast || q.quantity == GridQuantity::Hours ? tr(" of %1").arg(m_brightnessText->text()) : QString();
    if (q.quantity == GridQuantity::Hours) of += tr(" to S/N %1 in 10\u2033").arg(kDepthSnr);
    out.title = QString("%1%2%3: %4, %5")
                    .arg(coreWord(gridQuantityLabel(q.quantity)), unit == "1" ? QString() : " (" + unit + ")", of, coreWord(targetKindLabel(q.kind)),
                         m_model.moon() ? tr("moon %1 % lit, %2\u00B0 high, %3\u00B0 away")
                                              .arg(localNumber(100 * m_model.moon()->illuminated, 'f', 0))
                                              .arg(m_model.moon()->altitude_deg)
                                              .arg(m_model.moon()->separation_deg)
                                        : tr("no moon"));
    if (q.quantity == GridQuantity::TimeRatio)
        for (const Frontier& f : m_model.borders())
            if (f.kind == q.kind && f.from_mag)
                for (std::size_t c = 0; c < out.columns.size() && out.frontier < 0; ++c)
                    if (out.columns[c].zenith_mag < *f.from_mag) out.frontier = static_cast<int>(c);
    return out;
}

void SkyGrid::fillMap() {
    if (!m_model.grid() || m_model.cells().empty()) {
        m_map->say(m_model.problem().isEmpty() ? tr("Measuring the trials \u2026") : m_model.problem());
        m_lines->show({});
        m_moonMap->show({});
        return;
    }
    GridPicture picture = pictureOf();
    SlicePlot::Content lines;
    lines.quantity = picture.quantity;
    lines.title = picture.title;
    const std::size_t columns = picture.columns.size();
    for (std::size_t r = 0; r < picture.rows.size(); ++r)
        lines.lines.push_back(
            {picture.rows[r].name,
             picture.rows[r].style,
             {picture.cells.begin() + static_cast<std::ptrdiff_t>(r * columns), picture.cells.begin() + static_cast<std::ptrdiff_t>((r + 1) * columns)},
             picture.rows[r].filter == m_model.filter()});
    m_lines->show(lines);
    MoonMap::Content moon;
    moon.lattice = m_model.lattice();
    moon.quantity = picture.quantity;
    moon.moon = m_model.moon();
    for (const auto& row : picture.rows)
        if (row.filter == m_model.filter())
            moon.title = QString("%1: %2, %3")
                             .arg(row.name, coreWord(gridQuantityLabel(picture.quantity)).toLower(), coreWord(targetKindLabel(m_model.question().kind)));
    const GridMoon place = m_model.moon().value_or(GridMoon{});
    for (const GridRun& r : m_model.grid()->input().runs)
        if (QString::fromStdString(r.filter) == m_model.filter() && r.sky)
            moon.runs.push_back({{r.sky->zenith_mag, r.sky->moon ? r.sky->moon->illuminated : 0},
                                 !r.sky->moon || (std::abs(r.sky->moon->altitude_deg - place.altitude_deg) <= 25 &&
                                                  std::abs(r.sky->moon->separation_deg - place.separation_deg) <= 25)});
    m_moonMap->show(std::move(moon));
    m_map->show(std::move(picture));
}

void SkyGrid::fillPicture() {
    const double hours = m_model.pictureWish().hours;
    m_hoursText->setText(tr("%1 h").arg(localNumber(hours, 'g', 2)));
    if (!m_model.grid()) return m_picture->say({});
    const GridInput& in = m_model.grid()->input();
    const GridFilter *filter = in.filter(m_model.filter().toStdString()), *base = in.filter(in.baseline);
    if (!m_model.pictures() || !filter || !base)
        return m_picture->say(tr(
            "No picture can be foretold: the filter or the baseline has no curve, or next to nothing of such light passes. Choose another filter in the map."));
    const GridSky& sky = m_model.pictureWish().sky;
    m_picture->show(
        *m_model.pictures(), QString::fromStdString(base->name), QString::fromStdString(filter->name),
        tr("%1, %2, %3 h").arg(coreWord(targetKindLabel(m_model.pictureWish().kind)), QString::fromStdString(skyText(sky))).arg(localNumber(hours, 'g', 2)));
}

void SkyGrid::writePage() {
    QString text;
    if (m_model.grid()) {
        TextPage hint = screenPage();
        hint.line(tr("Click a cell to see what it rests on."), TextPage::Tone::Dim);
        text = (m_map->selected() >= 0 ? cellPage(m_model, m_map->selected()) : hint.html()) + gridPage(m_model);
    }
    const int at = m_page->verticalScrollBar()->value();
    m_page->setHtml(text);
    m_page->verticalScrollBar()->setValue(at);
}

void SkyGrid::followLink(const QUrl& link) {
    if (link.scheme() == "bench") emit benchWanted(link.path().toLongLong());
    if (link.scheme() == "plan") planNext(link.path().toULongLong());
}

void SkyGrid::planNext(std::size_t index) {
    if (index >= m_model.next().size() || !m_model.grid()) return;
    const NextMeasurement& n = m_model.next()[index];
    const GridInput& in = m_model.grid()->input();
    Trial plan;
    const Trial& now = m_session.trial();
    plan.site = in.sites[n.site].site;
    plan.target = now.target;
    plan.rig = m_session.rig();
    // Filters as the campaign knows them.
    for (const std::string& id : {in.baseline, n.filter}) {
        if (const Filter* f = now.filter(id)) {
            plan.filters.push_back(*f);
            continue;
        }
        for (const Campaign::Entry& e : m_session.trials())
            if (const auto other = m_session.campaign()->trial(e.id); other && other->filter(id)) {
                plan.filters.push_back(*other->filter(id));
                break;
            }
    }
    if (plan.filters.size() != 2)
        return emit problem(tr("%1 is none of this campaign's filters; open its campaign to plan with it.").arg(QString::fromStdString(n.filter)));
    plan.title = plan.filters[1].name + ", " + in.sites[n.site].name;
    Plan p = now.plan.value_or(Plan{});
    p.done.clear(), p.blocks.clear(), p.exposures.clear();
    p.filters = {in.baseline, n.filter};
    p.rounds = 2;
    p.subs = std::max(1, static_cast<int>(std::lround(n.hours * 3600 / 2 / p.exposure_s / p.rounds)));
    plan.plan = p;
    emit planWanted(plan);
}

void SkyGrid::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model.setActive(this, true);
    fill();
}

void SkyGrid::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_model.setActive(this, false);
}

void SkyGrid::themeChanged() {
    if (isVisible()) fill();
}

QByteArray SkyGrid::saveLayout() const {
    return m_across->saveState();
}

void SkyGrid::restoreLayout(const QByteArray& state) {
    m_across->restoreState(state);
}

} // namespace caelumen
