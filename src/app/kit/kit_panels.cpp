#include "app/kit/kit.h"
#include "app/kit/passband_plot.h"
#include "app/kit/slider_ratio.h"
#include "core/base/text.h"
#include "core/optics/starter.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>

#include <algorithm>

// The Kit's controls and menus, and the choices that are kept.

namespace caelumen {

QWidget* Kit::buildControls() {
    auto* bar = new QWidget;
    auto* both = new QVBoxLayout(bar);
    both->setContentsMargins(4, 0, 4, 4);
    both->setSpacing(4);
    both->addLayout(buildCone());
    both->addLayout(buildCamera());
    m_pageLater.setSingleShot(true);
    m_pageLater.setInterval(150);
    connect(&m_pageLater, &QTimer::timeout, this, &Kit::writePage);
    connect(m_ratio, &QSlider::sliderReleased, this, &Kit::writePage);
    restoreChoices();
    fillGains();
    connect(m_camera, &QComboBox::activated, this, &Kit::giveCamera);
    connect(m_gain, &QComboBox::activated, this, &Kit::giveGain);
    for (QComboBox* box : {m_camera, m_light}) {
        connect(box, &QComboBox::currentIndexChanged, this, &Kit::keepChoices);
        connect(box, &QComboBox::currentIndexChanged, this, &Kit::refresh);
    }
    connect(m_tilt, &QDoubleSpinBox::valueChanged, this, &Kit::keepChoices);
    for (QDoubleSpinBox* box : {m_tilt, m_obstruction, m_index}) connect(box, &QDoubleSpinBox::valueChanged, this, &Kit::refresh);
    connect(m_ratio, &QSlider::valueChanged, this, &Kit::refresh);
    connect(m_all, &QCheckBox::toggled, this, &Kit::refresh);
    return bar;
}

QLayout* Kit::buildCone() {
    m_ratio->setRange(0, positionOf(kSlowestRatio));
    m_ratio->setPageStep(10);
    m_ratio->setValue(positionOf(5));
    m_ratio->setAccessibleName(tr("f-ratio"));
    m_ratio->setMinimumWidth(90);
    m_ratioText->setMinimumWidth(40);
    m_obstruction->setRange(0, 0.95);
    m_obstruction->setSingleStep(0.05);
    m_obstruction->setToolTip(tr("Central obstruction: diameter of the hole over that of the pupil"));
    m_index->setRange(1.4, 2.2);
    m_index->setSingleStep(0.05);
    m_index->setValue(1.8);
    m_index->setToolTip(tr("Effective index of the coating: the lower, the more the bands move. Makers who know it say it; 1.8 is usual."));
    m_tilt->setRange(0, 15);
    m_tilt->setSingleStep(0.5);
    m_tilt->setDecimals(1);
    m_tilt->setSuffix(QString::fromUtf8("\u00B0"));
    m_tilt->setToolTip(tr("Of the filter against the middle of the cone"));
    m_tilt->setAccessibleName(tr("Tilt"));
    auto* row = new QHBoxLayout;
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
    return row;
}

QLayout* Kit::buildCamera() {
    m_camera->setMinimumContentsLength(20);
    fillCameras({});
    m_camera->setToolTip(tr("Whose channels are drawn and counted: typical ones, not those of a maker, and your own (Kit, Add a camera)"));
    m_camera->setAccessibleName(tr("Camera"));
    m_gain->setAccessibleName(tr("Gain"));
    m_gain->setToolTip(tr("The gain that is planned with: its electrons per ADU and read noise are the camera's"));
    for (const StarterLight& l : starterLights()) {
        m_light->addItem(QString::fromStdString(l.name));
        m_light->setItemData(m_light->count() - 1, QString::fromStdString(l.source), Qt::ToolTipRole);
    }
    m_light->setToolTip(tr("The light that is drawn as grey ground; each says where its model comes from."));
    m_light->setAccessibleName(tr("Light"));
    m_all->setToolTip(tr("Draw the other filters too, in the same cone"));
    auto* whole = new QPushButton(tr("Infrared"));
    whole->setCheckable(true);
    whole->setToolTip(tr("Show the near infrared too, to 1000 nm"));
    connect(whole, &QPushButton::toggled, this, [this](bool on) { m_plot->showRange(on ? 370 : 400, on ? 1000 : 720); });
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel(tr("Camera")));
    row->addWidget(m_camera);
    row->addWidget(m_gain);
    row->addSpacing(6);
    row->addWidget(new QLabel(tr("Light")));
    row->addWidget(m_light);
    row->addStretch(1);
    row->addWidget(m_all);
    row->addSpacing(6);
    row->addWidget(whole);
    return row;
}

void Kit::giveGain(int index) {
    if (!m_session.hasTrial()) return;
    Trial changed = m_session.trial();
    changed.rig.gain_setting = camera().gains[static_cast<std::size_t>(index)].setting;
    if (changed.rig.camera.empty()) changed.rig.camera = camera().id;
    m_session.edit(tr("Gain"), changed);
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
        m_gain->setItemData(m_gain->count() - 1,
                            tr("%1 e\u207B/ADU").arg(g.e_per_adu) + (g.read_noise_e ? tr(", read noise %1 e\u207B").arg(*g.read_noise_e) : QString()),
                            Qt::ToolTipRole);
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
    for (const StarterFilter& f : starterFilters())
        starter->addAction(QString::fromStdString(f.name), this, [this, id = f.id] { addStarter(id); })->setToolTip(QString::fromStdString(f.source));
    QMenu* owned = filters->addMenu(tr("Add from this campaign"));
    owned->setToolTipsVisible(true);
    connect(filters, &QMenu::aboutToShow, this, [this, owned] {
        owned->clear();
        for (const Filter& f : m_session.shelf()) {
            const auto& here = m_session.trial().filters;
            if (std::any_of(here.begin(), here.end(), [&](const Filter& other) { return slug(other.name) == slug(f.name); })) continue;
            owned->addAction(QString::fromStdString(f.name), this, [this, f] { addFilter(f); });
        }
        owned->setEnabled(m_session.hasTrial() && !owned->isEmpty());
    });
    filters->addAction(tr("Copy from another campaign \u2026"), this, &Kit::askOtherCampaign)
        ->setToolTip(tr("Its filters with their curves, claims and prices; those that are here already stay as they are"));
    filters->addAction(tr("New filter \u2026"), this, &Kit::newFilter)->setToolTip(tr("One that is not in hand yet: its claims are enough to plan with"));
    filters->addAction(tr("No filter"), this, &Kit::addNoFilter)->setToolTip(tr("The empty place, as a baseline"));
    filters->addAction(tr("Import the maker's curve \u2026"), this, &Kit::askClaimedCurve)
        ->setToolTip(tr("Drawn beside the measured one; where no band is claimed in words it is the claim"));
    m_remove = filters->addAction(tr("Remove this filter"), this, &Kit::removeFilter);
    QMenu* kit = button(tr("Kit"), tr("Carry filters, telescope and place from one campaign to another"));
    kit->addAction(tr("Telescope of the trial \u2026"), this, &Kit::askRig);
    kit->addAction(tr("Place of the trial \u2026"), this, &Kit::askSite);
    kit->addSeparator();
    kit->addAction(tr("Describe this camera \u2026"), this, &Kit::askCameraFacts)
        ->setToolTip(tr("Window, pixels, gains and channels; a typical camera is copied first"));
    kit->addAction(tr("Add a camera \u2026"), this, &Kit::askCamera);
    kit->addAction(tr("Export this camera \u2026"), this, &Kit::askExportCamera);
    kit->addAction(tr("Remove this camera"), this, &Kit::removeCamera);
    kit->addSeparator();
    kit->addAction(tr("Export the kit \u2026"), this, &Kit::askExport);
    kit->addAction(tr("Import a kit or table \u2026"), this, &Kit::askImport);
    return both;
}

} // namespace caelumen
