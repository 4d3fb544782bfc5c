#include "app/verdict/profile_panel.h"

#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/theme.h"
#include "core/optics/camera.h"
#include "report/local_number.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QRegularExpression>
#include <QSlider>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kWeightSteps = 4; // of a slider for a weight of one
constexpr std::array kMoons{"none", "crescent", "half", "gibbous", "full"};

QComboBox* box(const QString& name, int letters = 10) {
    auto* b = new QComboBox;
    b->setAccessibleName(name);
    b->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    b->setMinimumContentsLength(letters);
    return b;
}

/// A wheel that scrolls the panel must not turn what it passes over.
template<class Box>
Box* still(Box* b) {
    b->setFocusPolicy(Qt::StrongFocus);
    return b;
}

QSpinBox* percent(const QString& name) {
    auto* b = still(new QSpinBox);
    b->setRange(0, 100);
    b->setSuffix(" %");
    b->setAccessibleName(name);
    b->setFixedWidth(b->fontMetrics().horizontalAdvance("100 %") + 34);
    return b;
}

} // namespace

ProfilePanel::ProfilePanel(QWidget* parent)
    : ColumnScroll(parent)
    , m_start(box(tr("Profile to start from"), 12))
    , m_scope(box(tr("Trials that count")))
    , m_halo(box(tr("Halos")))
    , m_owned(box(tr("Filter already owned")))
    , m_camera(box(tr("Camera")))
    , m_file(quietButton(tr("\u2026"), tr("Open or save a profile")))
    , m_skyRows(new QVBoxLayout)
    , m_hours(still(new QSpinBox))
    , m_budget(still(new QDoubleSpinBox))
    , m_ratio(still(new QDoubleSpinBox))
    , m_currency(new QLineEdit)
    , m_rates(new QLineEdit) {
    setFocusPolicy(Qt::NoFocus); // it follows what has the focus
    auto* panel = new QWidget;
    auto* form = new QFormLayout(panel);
    form->setContentsMargins(12, 10, 10, 10);
    form->setVerticalSpacing(6);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->addRow(headingLabel(tr("For whom")));
    auto* menu = new QMenu(m_file);
    connect(menu->addAction(tr("Open a profile \u2026")), &QAction::triggered, this, &ProfilePanel::openAsked);
    connect(menu->addAction(tr("Save this profile \u2026")), &QAction::triggered, this, &ProfilePanel::saveAsked);
    m_file->setMenu(menu);
    m_file->setPopupMode(QToolButton::InstantPopup);
    m_file->setFocusPolicy(Qt::TabFocus);
    m_file->setAccessibleName(tr("Profile files"));
    m_start->addItem(tr("Own profile"));
    for (const Profile& p : startProfiles()) m_start->addItem(coreWord(p.name));
    auto* row = new QHBoxLayout;
    row->addWidget(m_start, 1);
    row->addWidget(m_file);
    form->addRow(row);
    m_scope->addItems({tr("all trials"), tr("this trial")});
    form->addRow(tr("From"), m_scope);
    buildSkies(form);
    buildWeights(form);
    buildMoney(form);
    connect(m_start, &QComboBox::activated, this, [this](int i) {
        if (i > 0) emit started(i - 1);
    });
    connect(m_scope, &QComboBox::activated, this, &ProfilePanel::scopeChosen);
    setWidget(panel);
}

void ProfilePanel::buildSkies(QFormLayout* form) {
    form->addRow(headingLabel(tr("Skies, by share of nights")));
    m_skyRows->setSpacing(4);
    form->addRow(m_skyRows);
    auto* add = quietButton(tr("Add a sky"), tr("Another place or moon"));
    add->setFocusPolicy(Qt::TabFocus);
    connect(add, &QToolButton::clicked, this, [this] {
        addSky({5, std::nullopt, "none", 0.2});
        say(tr("skies"));
    });
    form->addRow(add);
    form->addRow(headingLabel(tr("Targets, by share")));
    auto* kinds = new QGridLayout;
    kinds->setHorizontalSpacing(6);
    int n = 0;
    for (const TargetKind k : kTargetKinds) {
        QSpinBox* share = percent(coreWord(targetKindLabel(k)));
        m_kinds[k] = share;
        kinds->addWidget(new QLabel(coreWord(targetKindLabel(k))), n, 0);
        kinds->addWidget(share, n++, 1);
        connect(share, &QSpinBox::valueChanged, this, [this] { say(tr("targets")); });
    }
    form->addRow(kinds);
}

void ProfilePanel::buildWeights(QFormLayout* form) {
    form->addRow(headingLabel(tr("Weights, and what one step is")));
    for (const Merit m : kMerits) {
        WeightRow& w = m_weights[static_cast<std::size_t>(m)];
        w.slider = still(panelSlider(0, 40, 4, tr("Weight: %1").arg(coreWord(meritLabel(m)))));
        w.value = new QLabel;
        w.value->setMinimumWidth(w.value->fontMetrics().horizontalAdvance("10.25"));
        auto* box = new QWidget;
        auto* grid = new QGridLayout(box);
        grid->setContentsMargins(0, 0, 0, 4);
        grid->setSpacing(1);
        grid->addWidget(new QLabel(coreWord(meritLabel(m))), 0, 0, 1, 2);
        grid->addWidget(w.slider, 1, 0);
        grid->addWidget(w.value, 1, 1);
        auto* notice = new QLabel(tr("one step: %1").arg(coreWord(meritNotice(m))));
        notice->setObjectName("dim");
        notice->setWordWrap(true);
        grid->addWidget(notice, 2, 0, 1, 2);
        form->addRow(box);
        connect(w.slider, &QSlider::valueChanged, this, [this, m] { say(tr("weight of %1").arg(coreWord(meritLabel(m)))); });
    }
    m_halo->addItem(tr("any halo is a fault"), true);
    m_halo->addItem(tr("a small one is fine"), false);
    m_halo->setToolTip(tr("Small: less than half a per cent of the star's light"));
    form->addRow(tr("Halos"), m_halo);
    connect(m_halo, &QComboBox::activated, this, [this] { say(tr("halos")); });
}

void ProfilePanel::buildMoney(QFormLayout* form) {
    form->addRow(headingLabel(tr("Hours and money")));
    form->addRow(tr("Owned"), m_owned);
    m_hours->setRange(0, 8784);
    m_hours->setSuffix(tr(" h"));
    m_hours->setAccessibleName(tr("Clear hours a year"));
    form->addRow(tr("Clear, a year"), m_hours);
    m_budget->setRange(0, 1e7);
    m_budget->setDecimals(0);
    m_budget->setSpecialValueText(tr("none"));
    m_budget->setAccessibleName(tr("Budget"));
    m_currency->setMaximumWidth(60);
    m_currency->setPlaceholderText("EUR");
    m_currency->setAccessibleName(tr("Currency"));
    auto* row = new QHBoxLayout;
    row->addWidget(m_budget, 1);
    row->addWidget(m_currency);
    form->addRow(tr("Budget"), row);
    m_rates->setPlaceholderText("USD 0.92; GBP 1.17");
    m_rates->setToolTip(tr("What one of another currency costs in yours"));
    m_rates->setAccessibleName(tr("Rates"));
    form->addRow(tr("Rates"), m_rates);
    form->addRow(headingLabel(tr("Telescope and camera")));
    m_ratio->setRange(0, 30);
    m_ratio->setDecimals(1);
    m_ratio->setSingleStep(0.1);
    m_ratio->setPrefix("f/");
    m_ratio->setSpecialValueText(tr("as tested"));
    m_ratio->setAccessibleName(tr("f-ratio"));
    form->addRow(tr("f-ratio"), m_ratio);
    m_camera->addItem(tr("as tested"), QString());
    for (const Camera& c : typicalCameras()) m_camera->addItem(coreWord(c.name), QString::fromStdString(c.id));
    form->addRow(tr("Camera"), m_camera);
    connect(m_owned, &QComboBox::activated, this, [this] { say(tr("what is owned")); });
    connect(m_hours, &QSpinBox::valueChanged, this, [this] { say(tr("clear hours")); });
    connect(m_budget, &QDoubleSpinBox::valueChanged, this, [this] { say(tr("budget")); });
    connect(m_currency, &QLineEdit::editingFinished, this, [this] { say(tr("currency")); });
    connect(m_rates, &QLineEdit::editingFinished, this, [this] { say(tr("rates")); });
    connect(m_ratio, &QDoubleSpinBox::valueChanged, this, [this] { say(tr("f-ratio")); });
    connect(m_camera, &QComboBox::activated, this, [this] { say(tr("camera")); });
}

void ProfilePanel::addSky(const ProfileSky& sky) {
    SkyRow r{};
    r.row = new QWidget;
    auto* row = new QHBoxLayout(r.row);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    r.sky = still(box(tr("Sky"), 5));
    for (int b = 1; b <= 9; ++b) r.sky->addItem(tr("Bortle %1").arg(b), b);
    if (sky.sky_mag) r.sky->addItem(tr("%1 mag").arg(localNumber(*sky.sky_mag, 'f', 2)), *sky.sky_mag);
    r.sky->setCurrentIndex(sky.sky_mag ? 9 : sky.bortle.value_or(5) - 1);
    r.moon = still(box(tr("Moon"), 4));
    for (const char* m : kMoons) r.moon->addItem(QString(m) == "none" ? tr("no moon") : tr(m), QString(m));
    r.moon->setCurrentIndex(std::max(0, r.moon->findData(QString::fromStdString(sky.moon))));
    r.share = percent(tr("Share of the nights"));
    r.share->setValue(static_cast<int>(std::lround(100 * sky.share)));
    auto* gone = quietButton(QString::fromUtf8("\u00D7"), tr("Take this sky out"));
    gone->setFocusPolicy(Qt::TabFocus);
    gone->setAccessibleName(tr("Take this sky out"));
    row->addWidget(r.sky, 3);
    row->addWidget(r.moon, 3);
    row->addWidget(r.share);
    row->addWidget(gone);
    m_skyRows->addWidget(r.row);
    m_skies.push_back(r);
    if (widget()) updateGeometry();
    connect(r.sky, &QComboBox::activated, this, [this] { say(tr("skies")); });
    connect(r.moon, &QComboBox::activated, this, [this] { say(tr("skies")); });
    connect(r.share, &QSpinBox::valueChanged, this, [this] { say(tr("skies")); });
    connect(gone, &QToolButton::clicked, this, [this, w = r.row] {
        if (m_skies.size() < 2) return; // somebody works under some sky
        std::erase_if(m_skies, [&](const SkyRow& s) { return s.row == w; });
        w->deleteLater();
        say(tr("skies"));
    });
}

void ProfilePanel::clearSkies() {
    for (const SkyRow& s : m_skies) delete s.row;
    m_skies.clear();
}

void ProfilePanel::setFilters(const std::vector<std::pair<QString, QString>>& filters) {
    m_owned->clear();
    m_owned->addItem(tr("none"), QString());
    for (const auto& [id, name] : filters) m_owned->addItem(name, id);
    m_owned->setCurrentIndex(std::max(0, m_owned->findData(QString::fromStdString(m_shown.owned))));
}

void ProfilePanel::show(const Profile& p) {
    m_quiet = true;
    // Rows are kept while a person edits them.
    const bool sameSkies = m_skies.size() == p.skies.size() && profile().skies == p.skies;
    m_shown = p;
    int start = 0;
    for (std::size_t i = 0; i < startProfiles().size(); ++i) {
        Profile ready = startProfiles()[i];
        ready.owned = p.owned, ready.budget = p.budget, ready.currency = p.currency, ready.rates = p.rates, ready.fRatio = p.fRatio, ready.camera = p.camera;
        if (ready == p) start = static_cast<int>(i) + 1;
    }
    m_start->setCurrentIndex(start);
    if (!sameSkies) {
        clearSkies();
        for (const ProfileSky& s : p.skies) addSky(s);
    }
    for (const auto& [kind, share] : m_kinds) {
        const auto of = p.kinds.find(kind);
        share->setValue(of == p.kinds.end() ? 0 : static_cast<int>(std::lround(100 * of->second)));
    }
    for (const Merit m : kMerits)
        m_weights[static_cast<std::size_t>(m)].slider->setValue(static_cast<int>(std::lround(kWeightSteps * p.weights[static_cast<std::size_t>(m)])));
    m_halo->setCurrentIndex(p.anyHaloIsAFault ? 0 : 1);
    m_owned->setCurrentIndex(std::max(0, m_owned->findData(QString::fromStdString(p.owned))));
    m_hours->setValue(static_cast<int>(std::lround(p.clearHours)));
    m_budget->setValue(p.budget.value_or(0));
    m_currency->setText(QString::fromStdString(p.currency));
    QStringList rates;
    for (const auto& [name, rate] : p.rates) rates << QString("%1 %2").arg(QString::fromStdString(name)).arg(rate);
    m_rates->setText(rates.join("; "));
    m_ratio->setValue(p.fRatio.value_or(0));
    m_camera->setCurrentIndex(std::max(0, m_camera->findData(QString::fromStdString(p.camera))));
    showValues();
    m_quiet = false;
}

Profile ProfilePanel::profile() const {
    Profile p = m_shown;
    std::vector<ProfileSky> skies;
    for (std::size_t i = 0; i < m_skies.size(); ++i) {
        const SkyRow& r = m_skies[i];
        ProfileSky s;
        if (r.sky->currentIndex() < 9)
            s.bortle = r.sky->currentData().toInt();
        else
            s.sky_mag = r.sky->currentData().toDouble();
        s.moon = r.moon->currentData().toString().toStdString();
        s.share = r.share->value() / 100.0;
        skies.push_back(s);
    }
    // What is shown in whole per cents is not rounded by being looked at.
    const auto alike = [&] {
        if (skies.size() != m_shown.skies.size()) return false;
        for (std::size_t i = 0; i < skies.size(); ++i) {
            ProfileSky known = m_shown.skies[i];
            if (std::abs(known.share - skies[i].share) > 0.005001) return false;
            known.share = skies[i].share;
            if (known.sky_mag) known.bortle.reset();
            if (!(known == skies[i])) return false;
        }
        return true;
    };
    if (!alike()) p.skies = skies;
    for (const auto& [kind, share] : m_kinds) {
        const auto of = m_shown.kinds.find(kind);
        const double known = of == m_shown.kinds.end() ? 0 : of->second;
        if (std::abs(known - share->value() / 100.0) <= 0.005001) continue;
        if (share->value() > 0)
            p.kinds[kind] = share->value() / 100.0;
        else
            p.kinds.erase(kind);
    }
    for (const Merit m : kMerits) {
        double& w = p.weights[static_cast<std::size_t>(m)];
        const int step = m_weights[static_cast<std::size_t>(m)].slider->value();
        if (step != static_cast<int>(std::lround(kWeightSteps * w))) w = step / kWeightSteps;
    }
    p.anyHaloIsAFault = m_halo->currentData().toBool();
    p.owned = m_owned->currentData().toString().toStdString();
    if (m_hours->value() != static_cast<int>(std::lround(p.clearHours))) p.clearHours = m_hours->value();
    p.budget = m_budget->value() > 0 ? std::optional(m_budget->value()) : std::nullopt;
    p.currency = m_currency->text().trimmed().toUpper().toStdString();
    p.rates.clear();
    static const QRegularExpression rate("([A-Za-z]+)\\s*([0-9.,]+)");
    for (auto it = rate.globalMatch(m_rates->text()); it.hasNext();) {
        const auto m = it.next();
        if (const double v = QString(m.captured(2)).replace(',', '.').toDouble(); v > 0) p.rates[m.captured(1).toUpper().toStdString()] = v;
    }
    p.fRatio = m_ratio->value() >= 0.7 ? std::optional(m_ratio->value()) : std::nullopt;
    p.camera = m_camera->currentData().toString().toStdString();
    return p;
}

void ProfilePanel::say(const QString& what) {
    showValues();
    if (!m_quiet) emit edited(what);
}

void ProfilePanel::showValues() {
    for (const WeightRow& w : m_weights) w.value->setText(QString::number(w.slider->value() / kWeightSteps));
}

} // namespace caelumen
