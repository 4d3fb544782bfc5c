#include "app/facts_dialog.h"

#include "app/widgets/file_field.h"
#include "app/widgets/prompts.h"
#include "core/sky/ephemeris.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>

#include <cmath>

namespace caelumen {
RunFactsDialog::RunFactsDialog(const Trial& trial, const std::string& run, const TrialResults* results, Prompts& prompts, QWidget* parent)
    : QDialog(parent)
    , m_trial(trial)
    , m_run(run) {
    setWindowTitle(tr("Facts of run %1").arg(QString::fromStdString(run)));
    const Run& r = *m_trial.run(run);
    const Filter* f = m_trial.filter(r.filter);
    const RunConditions* c = results ? results->conditionsOf(run) : nullptr;
    auto* form = new QFormLayout;
    m_filterName = new QLineEdit(QString::fromStdString(f ? f->name : r.filter));
    form->addRow(tr("Filter"), m_filterName);
    m_kind = kindBox(f ? f->kind : "other");
    form->addRow(tr("Kind"), m_kind);
    auto* file = new QLabel(QString::fromStdString(r.stack));
    file->setTextInteractionFlags(Qt::TextSelectableByMouse);
    file->setWordWrap(true);
    form->addRow(tr("Stack"), file);
    m_combine = new QComboBox;
    m_combine->addItems({"mean", "median", "sum"});
    m_combine->setCurrentText(QString::fromStdString(r.combine));
    form->addRow(tr("Combined by"), m_combine);
    m_bayer = bayerBox(r.bayer, {});
    form->addRow(tr("Colour mosaic"), m_bayer);
    m_exposure = field(form, tr("Sub exposure (s)"), r.sub_exposure_s, c ? c->sub_exposure_s : std::nullopt, 1e-4, 1e6);
    m_count = field(form, tr("Number of subs"), r.sub_count ? std::optional<double>(*r.sub_count) : std::nullopt,
                    c && c->sub_count ? std::optional<double>(*c->sub_count) : std::nullopt, 1, 1e6);
    m_start = new QLineEdit(QString::fromStdString(r.start));
    m_start->setPlaceholderText(c && !c->start.empty() ? QString::fromStdString(c->start) : tr("UTC, as 2026-06-20T18:05:00Z"));
    form->addRow(tr("Start (UTC)"), m_start);
    m_gain = field(form, tr("Gain (e-/ADU)"), r.rig.gain_e_per_adu, c && !c->gainAssumed ? std::optional(c->gain_e_per_adu) : std::nullopt, 1e-4, 1e5);
    m_pedestal = field(form, tr("Pedestal (ADU)"), r.rig.pedestal_adu, m_trial.rig.pedestal_adu, -1e6, 1e6);
    m_temperature = field(form, tr("Sensor (\u00B0C)"), r.sensor_temperature_c, c ? c->sensor_temperature_c : std::nullopt, -120, 80);
    const auto stackField = [&](const QString& label, const std::string& path, const QString& tip) {
        auto* stack = new FileField(path, tr("%1 of run %2").arg(label, QString::fromStdString(run)), framesFilter(), prompts);
        stack->setToolTip(tip);
        form->addRow(label, stack);
        return stack;
    };
    m_short = stackField(tr("Short stack"), r.short_stack,
                         tr("The same filter with short subs: bright stars that burn out in the long ones take their light from it"));
    m_shortExposure = field(form, tr("Its sub exposure (s)"), r.short_exposure_s, {}, 1e-4, 1e6);
    m_shortCount = field(form, tr("Its number of subs"), r.short_count ? std::optional<double>(*r.short_count) : std::nullopt, {}, 1, 1e6);
    for (const auto* n : {&m_shortExposure, &m_shortCount}) n->edit->setPlaceholderText(tr("from the header"));
    const QString halves = tr("Stacks of the odd and of the even subs alone: what they differ by is the stack's noise, whatever the sky looks like. Without "
                              "any, those that lie beside the stack (NAME-odd, NAME-even) are taken");
    m_odd = stackField(tr("Odd subs alone"), r.odd_stack, halves);
    m_even = stackField(tr("Even subs alone"), r.even_stack, halves);
    if (c && !c->facts.empty()) {
        auto* known = new QLabel(QString::fromStdString(factsSentence(c->facts)));
        known->setObjectName("knownFacts");
        known->setTextInteractionFlags(Qt::TextSelectableByMouse);
        known->setWordWrap(true);
        known->setToolTip(tr("What the last measurement went by, and who says so: the run, the trial, the header of its stack; what nobody says was assumed"));
        form->addRow(tr("Known"), known);
    }
    m_note = new QLineEdit(QString::fromStdString(r.note));
    form->addRow(tr("Note"), m_note);
    finish(this, form, m_problem = problemLabel());
}

void RunFactsDialog::refuse(const QString& sentence, QWidget* field) {
    m_problem->setText(sentence);
    m_problem->show();
    field->setFocus();
}

bool RunFactsDialog::filesHold() {
    for (FileField* f : {m_short, m_odd, m_even}) {
        if (const QString problem = f->problem(); !problem.isEmpty()) {
            refuse(problem, f);
            return false;
        }
    }
    if (m_odd->path().empty() == m_even->path().empty()) return true;
    refuse(tr("Give the stacks of both the odd and the even subs, or neither."), m_odd->path().empty() ? m_odd : m_even);
    return false;
}

void RunFactsDialog::accept() {
    if (!check({{"Sub exposure", &m_exposure},
                {"Number of subs", &m_count},
                {"Gain", &m_gain},
                {"Pedestal", &m_pedestal},
                {"Sensor temperature", &m_temperature},
                {"Sub exposure of the short stack", &m_shortExposure},
                {"Number of its subs", &m_shortCount}},
               m_problem))
        return;
    if (!filesHold()) return;
    const std::string start = m_start->text().trimmed().toStdString();
    if (!start.empty() && !parseTime(start)) {
        refuse(QString::fromStdString(parseTime(start).error().message), m_start);
        return;
    }
    for (Run& r : m_trial.runs) {
        if (r.id != m_run) continue;
        r.combine = m_combine->currentText().toStdString();
        r.bayer = m_bayer->currentData().toString().toStdString();
        r.sub_exposure_s = get(m_exposure);
        const auto whole = [](std::optional<double> v) { return v ? std::optional(static_cast<int>(std::lround(*v))) : std::nullopt; };
        r.sub_count = whole(get(m_count));
        r.short_stack = m_short->path();
        r.short_exposure_s = get(m_shortExposure);
        r.short_count = whole(get(m_shortCount));
        r.odd_stack = m_odd->path();
        r.even_stack = m_even->path();
        r.start = start;
        r.rig.gain_e_per_adu = get(m_gain);
        r.rig.pedestal_adu = get(m_pedestal);
        r.sensor_temperature_c = get(m_temperature);
        r.note = m_note->text().trimmed().toStdString();
        r.guessed = false;
        for (Filter& f : m_trial.filters) {
            if (f.id != r.filter) continue;
            f.name = m_filterName->text().trimmed().toStdString();
            f.kind = m_kind->currentData().toString().toStdString();
            f.guessed = false;
        }
    }
    QDialog::accept();
}

TrialFactsDialog::TrialFactsDialog(const Trial& trial, QWidget* parent)
    : QDialog(parent)
    , m_trial(trial) {
    setWindowTitle(tr("Facts of the trial"));
    auto* form = new QFormLayout;
    const auto words = [&](const QString& label, const std::string& value) {
        auto* edit = new QLineEdit(QString::fromStdString(value));
        form->addRow(label, edit);
        return edit;
    };
    std::optional<double> bortle;
    if (trial.site.bortle) bortle.emplace(*trial.site.bortle);
    m_title = words(tr("Title"), trial.title);
    m_site = words(tr("Site"), trial.site.name);
    m_latitude = field(form, tr("Latitude (\u00B0, north +)"), trial.site.latitude_deg, {}, -90, 90);
    m_longitude = field(form, tr("Longitude (\u00B0, east +)"), trial.site.longitude_deg, {}, -180, 360);
    m_bortle = field(form, tr("Bortle class"), bortle, {}, 1, 9);
    m_sqm = field(form, tr("Sky meter (mag/arcsec\u00B2)"), trial.site.sqm, {}, 5, 25);
    m_target = words(tr("Target"), trial.target.name);
    m_ra = field(form, tr("Right ascension (\u00B0)"), trial.target.ra_deg, {}, 0, 360);
    m_dec = field(form, tr("Declination (\u00B0)"), trial.target.dec_deg, {}, -90, 90);
    m_rig = words(tr("Rig"), trial.rig.name);
    m_focal = field(form, tr("Focal length (mm)"), trial.rig.focal_length_mm, {}, 1, 1e5);
    m_aperture = field(form, tr("Aperture (mm)"), trial.rig.aperture_mm, {}, 1, 1e4);
    m_obstruction = field(form, tr("Obstruction (0 to 0.95)"), trial.rig.obstruction, {}, 0, 0.95);
    m_pixel = field(form, tr("Pixel (\u00B5m)"), trial.rig.pixel_um, {}, 0.1, 100);
    m_gain = field(form, tr("Gain (e-/ADU)"), trial.rig.gain_e_per_adu, {}, 1e-4, 1e5);
    m_pedestal = field(form, tr("Pedestal (ADU)"), trial.rig.pedestal_adu, {}, -1e6, 1e6);
    m_fullWell = field(form, tr("Full well (e-)"), trial.rig.full_well_e, {}, 1, 1e7);
    for (const auto* n : {&m_focal, &m_aperture, &m_pixel, &m_gain, &m_pedestal}) n->edit->setPlaceholderText(tr("from the header"));
    finish(this, form, m_problem = problemLabel());
}

void TrialFactsDialog::accept() {
    if (!check({{"Latitude", &m_latitude},
                {"Longitude", &m_longitude},
                {"Bortle class", &m_bortle},
                {"Sky meter", &m_sqm},
                {"Right ascension", &m_ra},
                {"Declination", &m_dec},
                {"Focal length", &m_focal},
                {"Aperture", &m_aperture},
                {"Obstruction", &m_obstruction},
                {"Pixel", &m_pixel},
                {"Gain", &m_gain},
                {"Pedestal", &m_pedestal},
                {"Full well", &m_fullWell}},
               m_problem))
        return;
    m_trial.title = m_title->text().trimmed().toStdString();
    m_trial.site.name = m_site->text().trimmed().toStdString();
    m_trial.site.latitude_deg = get(m_latitude);
    m_trial.site.longitude_deg = get(m_longitude);
    const auto bortle = get(m_bortle);
    m_trial.site.bortle = bortle ? std::optional(static_cast<int>(std::lround(*bortle))) : std::nullopt;
    m_trial.site.sqm = get(m_sqm);
    m_trial.target.name = m_target->text().trimmed().toStdString();
    m_trial.target.ra_deg = get(m_ra);
    m_trial.target.dec_deg = get(m_dec);
    m_trial.rig.name = m_rig->text().trimmed().toStdString();
    m_trial.rig.focal_length_mm = get(m_focal);
    m_trial.rig.aperture_mm = get(m_aperture);
    m_trial.rig.obstruction = get(m_obstruction);
    m_trial.rig.pixel_um = get(m_pixel);
    m_trial.rig.gain_e_per_adu = get(m_gain);
    m_trial.rig.pedestal_adu = get(m_pedestal);
    m_trial.rig.full_well_e = get(m_fullWell);
    QDialog::accept();
}

} // namespace caelumen
