#include "app/palette/palette_panel.h"

#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "report/local_number.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QSignalBlocker>
#include <QSlider>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr std::array kLights{"H", "O", "S"};
constexpr std::array kChannels{"R", "G", "B"};
constexpr double kSteps = 20;       // of a part or share
constexpr double kHoursAt0 = 0.05;  // of the slider of hours
constexpr double kPerDecade = 25.0; // its steps

QComboBox* box(const QString& name) {
    auto* b = new QComboBox;
    b->setAccessibleName(name);
    b->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    b->setMinimumContentsLength(12);
    return b;
}

void choose(QComboBox* box, const QVariant& data) {
    box->setCurrentIndex(std::max(0, box->findData(data)));
}

} // namespace

PalettePanel::PalettePanel(QWidget* parent)
    : ColumnScroll(parent)
    , m_start(box(tr("Recipe")))
    , m_oxygen(box(tr("Oxygen added")))
    , m_scale(box(tr("Balance of the light")))
    , m_stars(box(tr("Stars")))
    , m_starsFrom(box(tr("Stars are taken from")))
    , m_detail(box(tr("Brightness from")))
    , m_time(box(tr("Time")))
    , m_eyes(box(tr("Seen by")))
    , m_sky(new QCheckBox(tr("take the sky off")))
    , m_galaxy(new QCheckBox(tr("also of galaxies")))
    , m_amount(panelSlider(0, 20, 20, tr("Desaturation of stars")))
    , m_share(panelSlider(0, 20, 8, tr("Share of the brightness layer")))
    , m_light(panelSlider(0, 100, 50, tr("Light of the sky")))
    , m_depth(panelSlider(0, 100, 50, tr("Depth")))
    , m_hours(panelSlider(0, 85, 40, tr("Hours")))
    , m_hoursText(new QLabel)
    , m_recipes(quietButton(tr("\u2026"), tr("Keep, share and take recipes"))) {
    setFocusPolicy(Qt::NoFocus); // it follows what has the focus
    auto* panel = new QWidget;
    auto* form = new QFormLayout(panel);
    form->setContentsMargins(12, 10, 8, 10);
    form->setVerticalSpacing(6);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    buildLight(form);
    buildStars(form);
    buildLook(form);
    for (QComboBox* b : {m_oxygen, m_scale, m_stars, m_starsFrom, m_detail}) connect(b, &QComboBox::activated, this, &PalettePanel::say);
    for (QCheckBox* b : {m_sky, m_galaxy}) connect(b, &QCheckBox::toggled, this, &PalettePanel::say);
    for (QSlider* s : {m_amount, m_share}) connect(s, &QSlider::valueChanged, this, &PalettePanel::say);
    for (auto& row : m_matrix)
        for (QSlider* s : row) connect(s, &QSlider::valueChanged, this, &PalettePanel::say);
    connect(m_start, &QComboBox::activated, this, &PalettePanel::recipeChosen);
    for (QSlider* s : {m_light, m_depth}) connect(s, &QSlider::valueChanged, this, &PalettePanel::looked);
    connect(m_time, &QComboBox::activated, this, [this] { enable(), emit timed(); });
    connect(m_hours, &QSlider::valueChanged, this, [this] { enable(), emit timed(); });
    connect(m_eyes, &QComboBox::activated, this, &PalettePanel::eyesChosen);
    setRecipes({});
    enable();
    setWidget(panel);
}

QWidget* PalettePanel::buildMatrix() {
    m_matrixBox = new QWidget;
    auto* matrix = new QGridLayout(m_matrixBox);
    matrix->setContentsMargins(0, 0, 0, 0);
    for (std::size_t l = 0; l < 3; ++l) matrix->addWidget(new QLabel(tr(kLights[l])), 0, static_cast<int>(l) + 1, Qt::AlignCenter);
    for (std::size_t c = 0; c < 3; ++c) {
        matrix->addWidget(new QLabel(tr(kChannels[c])), static_cast<int>(c) + 1, 0);
        for (std::size_t l = 0; l < 3; ++l) {
            QSlider*& s = m_matrix[c][l];
            s = panelSlider(0, 20, (c == 0 && l == 0) || (c > 0 && l == 1) ? 20 : 0, tr("%1 of %2").arg(kChannels[c], kLights[l]));
            s->setMinimumWidth(40);
            matrix->addWidget(s, static_cast<int>(c) + 1, static_cast<int>(l) + 1);
        }
    }
    m_matrixBox->setToolTip(tr("Parts of hydrogen, oxygen and sulphur in red, green and blue"));
    return m_matrixBox;
}

void PalettePanel::buildLight(QFormLayout* form) {
    form->addRow(headingLabel(tr("One recipe for all")));
    auto* menu = new QMenu(m_recipes);
    connect(menu->addAction(tr("Keep this recipe by name \u2026")), &QAction::triggered, this, &PalettePanel::keepAsked);
    m_forget = menu->addAction(tr("Forget the chosen recipe"));
    connect(m_forget, &QAction::triggered, this, &PalettePanel::forgetAsked);
    menu->addSeparator();
    connect(menu->addAction(tr("Share it as a file \u2026")), &QAction::triggered, this, &PalettePanel::shareAsked);
    connect(menu->addAction(tr("Take one from a file \u2026")), &QAction::triggered, this, &PalettePanel::takeAsked);
    m_recipes->setMenu(menu);
    m_recipes->setPopupMode(QToolButton::InstantPopup);
    m_recipes->setFocusPolicy(Qt::TabFocus);
    m_recipes->setAccessibleName(tr("Recipes by name"));
    auto* row = new QHBoxLayout;
    row->addWidget(m_start, 1);
    row->addWidget(m_recipes);
    form->addRow(row);
    form->addRow(buildMatrix());
    m_oxygen->setToolTip(tr("Oxygen of two filters in one, each by its weight in the noise"));
    form->addRow(tr("Oxygen"), m_oxygen);
    for (const auto& [text, scale] : {std::pair{tr("equal signal"), PaletteScale::EqualSignal},
                                      {tr("grey stars"), PaletteScale::StarColours},
                                      {tr("equal noise"), PaletteScale::EqualNoise},
                                      {tr("as it is"), PaletteScale::None}})
        m_scale->addItem(text, static_cast<int>(scale));
    form->addRow(tr("Balance"), m_scale);
    m_sky->setChecked(true);
    form->addRow(QString(), m_sky);
}

void PalettePanel::buildStars(QFormLayout* form) {
    for (const auto& [text, mode] : {std::pair{tr("kept"), PaletteStars::Keep},
                                     {tr("from another run"), PaletteStars::Replace},
                                     {tr("desaturated"), PaletteStars::Desaturate},
                                     {tr("taken out"), PaletteStars::None}})
        m_stars->addItem(text, static_cast<int>(mode));
    form->addRow(headingLabel(tr("Stars")));
    form->addRow(tr("Stars"), m_stars);
    form->addRow(tr("Taken from"), m_starsFrom);
    form->addRow(tr("Colour taken"), m_amount);
    m_galaxy->setToolTip(tr("Knots of galaxies look like stars: they are taken out only where you say that they are stars"));
    form->addRow(QString(), m_galaxy);
    form->addRow(headingLabel(tr("Detail")));
    m_detail->setToolTip(tr("A run as brightness over the colours, as noisy as they are"));
    form->addRow(tr("From"), m_detail);
    form->addRow(tr("Share"), m_share);
}

void PalettePanel::buildLook(QFormLayout* form) {
    for (const auto& [text, time] :
         {std::pair{tr("as it was"), PaletteTime::AsItWas}, {tr("same time"), PaletteTime::SameForAll}, {tr("same depth"), PaletteTime::SameDepth}})
        m_time->addItem(text, static_cast<int>(time));
    m_time->setToolTip(
        tr("As from so many hours of each filter; or each filter for as long as it needs to show the target as well as the quickest does in that time"));
    form->addRow(headingLabel(tr("Time")));
    form->addRow(tr("Time"), m_time);
    auto* row = new QHBoxLayout;
    row->addWidget(m_hours, 1);
    m_hoursText->setMinimumWidth(m_hoursText->fontMetrics().horizontalAdvance("0.05 h ") + 4);
    row->addWidget(m_hoursText);
    form->addRow(tr("Hours"), row);
    form->addRow(headingLabel(tr("One look for all")));
    form->addRow(tr("Light"), m_light);
    form->addRow(tr("Depth"), m_depth);
    for (const auto& [text, eyes] : {std::pair{tr("most people"), ColourVision::Usual},
                                     {tr("eyes without green cones"), ColourVision::NoGreenCones},
                                     {tr("eyes without red cones"), ColourVision::NoRedCones},
                                     {tr("eyes without blue cones"), ColourVision::NoBlueCones}})
        m_eyes->addItem(text, static_cast<int>(eyes));
    m_eyes->setToolTip(tr("On the screen alone: about one man in twelve sees red and green otherwise"));
    form->addRow(tr("Seen by"), m_eyes);
}

void PalettePanel::setRuns(const Trial& trial) {
    for (const auto& [b, none] : {std::pair{m_oxygen, tr("its own")}, {m_starsFrom, tr("the baseline")}, {m_detail, tr("none")}}) {
        const QSignalBlocker quiet(b);
        const QVariant before = b->currentData();
        b->clear();
        b->addItem(none, QString());
        for (const Run& r : trial.runs) {
            const Filter* f = trial.filter(r.filter);
            const QString name = QString("%1  %2").arg(QString::fromStdString(r.id), QString::fromStdString(f ? f->name : r.filter));
            b->addItem(b == m_oxygen ? tr("with %1").arg(name) : name, QString::fromStdString(r.id));
        }
        choose(b, before);
    }
}

void PalettePanel::setRecipes(const std::vector<Recipe>& own) {
    const QSignalBlocker quiet(m_start);
    const QString before = m_start->currentText();
    m_own = own;
    m_start->clear();
    for (const RecipeStart& s : recipeStarts()) m_start->addItem(coreWord(s.name), QString::fromStdString(s.id));
    m_start->addItem(tr("Own matrix"), QString("own"));
    for (const Recipe& r : own) m_start->addItem(QString::fromStdString(r.name), QString("own"));
    m_start->setCurrentIndex(std::max(0, m_start->findText(before)));
}

PaletteWish PalettePanel::wishAt(int index) const {
    PaletteWish w = wish();
    const int own = index - static_cast<int>(recipeStarts().size()) - 1;
    if (own < 0) {
        w.start = m_start->itemData(index).toString();
        w.name.clear();
        return w;
    }
    PaletteWish kept = wishOf(m_own.at(static_cast<std::size_t>(own)));
    kept.name = m_start->itemText(index);
    kept.starsRun = w.starsRun, kept.oxygenRun = w.oxygenRun, kept.detailRun = w.detailRun;
    return kept;
}

void PalettePanel::show(const PaletteWish& w) {
    const std::vector<QObject*> all{m_start, m_oxygen, m_scale, m_stars, m_starsFrom, m_detail, m_sky, m_galaxy, m_amount, m_share};
    std::vector<QSignalBlocker> quiet;
    for (QObject* o : all) quiet.emplace_back(o);
    const int own = w.start == "own" && !w.name.isEmpty() ? m_start->findText(w.name) : -1;
    m_start->setCurrentIndex(own >= 0 ? own : std::max(0, m_start->findData(w.start)));
    choose(m_oxygen, w.oxygenRun), choose(m_starsFrom, w.starsRun), choose(m_detail, w.detailRun);
    choose(m_scale, static_cast<int>(w.scale)), choose(m_stars, static_cast<int>(w.stars));
    m_sky->setChecked(w.background == PaletteBackground::Subtract);
    m_galaxy->setChecked(w.starsOnGalaxy);
    m_amount->setValue(static_cast<int>(std::lround(kSteps * w.starsAmount)));
    m_share->setValue(static_cast<int>(std::lround(kSteps * w.detailShare)));
    if (w.start == "own")
        for (std::size_t c = 0; c < 3; ++c)
            for (std::size_t l = 0; l < 3; ++l) {
                const QSignalBlocker still(m_matrix[c][l]);
                const auto part = w.map[c].find(kLights[l]);
                m_matrix[c][l]->setValue(part == w.map[c].end() ? 0 : static_cast<int>(std::lround(kSteps * part->second)));
            }
    m_beside = w;
    enable();
}

PaletteWish PalettePanel::wish() const {
    PaletteWish w;
    w.start = m_start->currentData().toString();
    w.name = recipeIsOwn() ? m_start->currentText() : QString();
    for (std::size_t c = 0; c < 3; ++c) {
        if (w.start == m_beside.start) w.map[c] = m_beside.map[c]; // parts finer than a slider, and lights that have none
        for (std::size_t l = 0; l < 3; ++l) {
            const double part = m_matrix[c][l]->value() / kSteps;
            const auto known = w.map[c].find(kLights[l]);
            if (known != w.map[c].end() && std::abs(known->second - part) < 0.5 / kSteps) continue;
            if (part > 0)
                w.map[c][kLights[l]] = part;
            else
                w.map[c].erase(kLights[l]);
        }
    }
    w.scale = static_cast<PaletteScale>(m_scale->currentData().toInt());
    w.background = m_sky->isChecked() ? PaletteBackground::Subtract : PaletteBackground::Keep;
    w.stars = static_cast<PaletteStars>(m_stars->currentData().toInt());
    w.starsAmount = m_amount->value() / kSteps;
    w.starsOnGalaxy = m_galaxy->isChecked();
    w.starsRun = m_starsFrom->currentData().toString(), w.oxygenRun = m_oxygen->currentData().toString(), w.detailRun = m_detail->currentData().toString();
    w.detailShare = m_share->value() / kSteps;
    return w;
}

void PalettePanel::say() {
    enable();
    emit wished();
}

void PalettePanel::enable() {
    const auto stars = static_cast<PaletteStars>(m_stars->currentData().toInt());
    m_matrixBox->setVisible(m_start->currentData().toString() == "own");
    m_amount->setEnabled(stars == PaletteStars::Desaturate);
    m_starsFrom->setEnabled(stars == PaletteStars::Replace);
    m_galaxy->setEnabled(stars == PaletteStars::Replace || stars == PaletteStars::None);
    m_share->setEnabled(!m_detail->currentData().toString().isEmpty());
    m_hours->setEnabled(time() != PaletteTime::AsItWas);
    m_hoursText->setText(tr("%1 h").arg(localNumber(hours(), 'g', 2)));
    m_forget->setEnabled(recipeIsOwn());
}

void PalettePanel::show(double light, double depth) {
    const QSignalBlocker a(m_light), b(m_depth);
    m_light->setValue(static_cast<int>(std::lround(100 * light)));
    m_depth->setValue(static_cast<int>(std::lround(100 * depth)));
}

double PalettePanel::light() const {
    return m_light->value() / 100.0;
}

double PalettePanel::depth() const {
    return m_depth->value() / 100.0;
}

PaletteTime PalettePanel::time() const {
    return static_cast<PaletteTime>(m_time->currentData().toInt());
}

double PalettePanel::hours() const {
    // Even steps in what they change: two digits.
    const double exact = kHoursAt0 * std::pow(10, m_hours->value() / kPerDecade), unit = std::pow(10, std::floor(std::log10(exact)) - 1);
    return std::round(exact / unit) * unit;
}

ColourVision PalettePanel::eyes() const {
    return static_cast<ColourVision>(m_eyes->currentData().toInt());
}

QString PalettePanel::recipeName() const {
    return m_start->currentText();
}

bool PalettePanel::recipeIsOwn() const {
    return m_start->currentIndex() > static_cast<int>(recipeStarts().size());
}

} // namespace caelumen
