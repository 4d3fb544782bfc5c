#include "app/night/night_model.h"

#include "app/filter_curve.h"
#include "app/widgets/paths.h"
#include "app/widgets/place_zone.h"
#include "core/base/file.h"
#include "core/optics/light_cone.h"

#include <QDateTime>
#include <QDir>
#include <QFileInfo>
#include <QRegularExpression>
#include <QSettings>
#include <QStandardPaths>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString ownTargetsFile() {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/targets.csv";
}

/// What stands in the catalogue at the trial's name or place.
DeepSky targetOf(const Target& target, const std::vector<DeepSky>& among) {
    if (!target.name.empty())
        if (const auto found = findTargets(among, target.name); !found.empty()) {
            DeepSky d = *found.front();
            if (target.ra_deg && target.dec_deg) d.ra_deg = *target.ra_deg, d.dec_deg = *target.dec_deg;
            if (!target.ra_deg || std::hypot((d.ra_deg - found.front()->ra_deg) * std::cos(d.dec_deg * M_PI / 180), d.dec_deg - found.front()->dec_deg) < 1.5)
                return d;
        }
    DeepSky d;
    d.id = target.name.empty() ? "target" : target.name;
    d.ra_deg = target.ra_deg.value_or(0), d.dec_deg = target.dec_deg.value_or(0);
    d.hydrogen = d.oxygen = 2; // what a nebula test is mostly about
    d.continuum = 1;
    return d;
}

/// Lays the blocks of a trial's plan for another night or target, before the model follows.
void layFor(Trial& trial, const DeepSky& target) {
    const Site& s = trial.site;
    if (!s.latitude_deg || !s.longitude_deg) return;
    if (const auto track = NightTrack::of({*s.latitude_deg, *s.longitude_deg, s.elevation_m}, trial.plan->date, target.ra_deg, target.dec_deg))
        trial.plan = scheduleBlocks(*trial.plan, s, *track).plan;
}

} // namespace

NightModel::NightModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session)
    , m_camera(typicalCameras().front()) {
    connect(&m_jobs, &JobService::failed, this, &NightModel::failed);
    std::vector<DeepSky> targets = deepSkyCatalogue();
    if (const auto text = readText(toPath(ownTargetsFile())); text.ok())
        if (auto own = parseTargets(*text, "targets.csv"); own.ok()) targets.insert(targets.begin(), own->begin(), own->end());
    m_targets = std::make_shared<const std::vector<DeepSky>>(std::move(targets));
    connect(&m_session, &Session::trialChanged, this, &NightModel::follow);
    connect(&m_session, &Session::resultsChanged, this, [this] { // the frames tell the field's size
        if (m_frame != frame())
            follow();
        else if (m_active && trial().plan && !trial().runs.empty())
            emit changed(); // and what was shot
    });
}

void NightModel::setActive(bool active) {
    m_active = active;
    if (m_active && m_stale) follow();
}

Plan NightModel::planOf(const Trial& trial) const {
    if (trial.plan) return *trial.plan;
    Plan p;
    p.date = QDate::currentDate().toString(Qt::ISODate).toStdString();
    for (const Run& r : trial.runs)
        if (r.start.size() >= 10) {
            // The evening before the sun's mean noon that follows: a run that begins after midnight belongs to the night before.
            const QDateTime start = QDateTime::fromString(QString::fromStdString(r.start), Qt::ISODate);
            const double noon = 3600 * (12 - std::remainder(trial.site.longitude_deg.value_or(0), 360) / 15);
            p.date = start.isValid() ? start.addSecs(-static_cast<qint64>(noon)).date().toString(Qt::ISODate).toStdString() : r.start.substr(0, 10);
            break;
        }
    if (const Run* base = trial.baseline()) p.filters.push_back(base->filter);
    for (const Filter& f : trial.filters)
        if (std::find(p.filters.begin(), p.filters.end(), f.id) == p.filters.end() && p.filters.size() < 3) p.filters.push_back(f.id);
    for (const Run& r : trial.runs)
        if (r.sub_exposure_s) {
            p.exposure_s = *r.sub_exposure_s;
            break;
        }
    return p;
}

void NightModel::follow() {
    m_stale = !m_active;
    if (m_stale) return;
    const bool fresh = !trial().plan;
    m_plan = planOf(trial());
    derive();
    if (fresh && ready() && !m_plan.filters.empty()) { // a first proposal, not yet an edit
        Schedule laid = scheduleBlocks(m_plan, trial().site, *m_track);
        m_plan = laid.plan;
        m_problem = QString::fromStdString(laid.problem);
        deriveBlocks();
    } else if (ready() && m_plan.blocks.size() < blockOrder(m_plan).size()) { // whatever it was laid for: another date, a new night, an undone edit
        m_problem = QString::fromStdString(scheduleBlocks(m_plan, trial().site, *m_track).problem);
    }
    emit changed();
}

QTimeZone NightModel::zone() const {
    return placeZone(trial().site).zone;
}

QDateTime NightModel::timeAt(double second) const {
    return QDateTime::fromString(QString::fromStdString(isoTime(m_track->start().plusSeconds(second))), Qt::ISODate).toTimeZone(zone());
}

QSize NightModel::frame() const {
    const QSize known = m_session.frameSize();
    if (!known.isEmpty()) return known;
    return m_camera.width_px > 0 && m_camera.height_px > 0 ? QSize(m_camera.width_px, m_camera.height_px) : QSize(6248, 4176);
}

std::pair<double, double> NightModel::field_deg() const {
    return {frame().width() * m_rig.scale_arcsec() / 3600, frame().height() * m_rig.scale_arcsec() / 3600};
}

void NightModel::setCamera(const Camera& camera) {
    m_camera = camera;
    m_filtersOf.clear(); // one's own camera keeps its name when it is changed
    follow();
}

void NightModel::derive() {
    m_frame = frame();
    const Site& site = trial().site;
    m_problem.clear();
    m_rig = planRig(m_session.rig(), m_camera);
    m_target = targetOf(trial().target, *m_targets);
    if (!m_session.hasTrial()) {
        m_problem = tr("No trial is open. Make one with Plan, New night to plan, or from frames; then its night can be planned.");
    } else if (!site.latitude_deg || !site.longitude_deg) {
        m_problem = tr("The place has no latitude and longitude yet: give them under Kit, Place of the trial.");
    } else if (!trial().target.ra_deg && trial().target.name.empty()) {
        m_problem = tr("No target is chosen yet: search for one on the left.");
    }
    const QString of = QString("%1 %2 %3 %4 %5 %6")
                           .arg(site.latitude_deg.value_or(0))
                           .arg(site.longitude_deg.value_or(0))
                           .arg(site.elevation_m)
                           .arg(QString::fromStdString(m_plan.date))
                           .arg(m_target.ra_deg)
                           .arg(m_target.dec_deg);
    if (!m_problem.isEmpty()) {
        m_track.reset();
        m_trackOf.clear();
    } else if (of != m_trackOf) {
        m_trackOf = of;
        auto track = NightTrack::of({*site.latitude_deg, *site.longitude_deg, site.elevation_m}, m_plan.date, m_target.ra_deg, m_target.dec_deg);
        if (track)
            m_track = std::move(*track);
        else
            m_track.reset(), m_problem = QString::fromStdString(track.error().message);
    }
    // Filters in this cone and camera.
    QString filtersOf = QString::fromStdString(m_camera.id) + QString(" %1 %2").arg(m_rig.fRatio()).arg(m_rig.obstruction);
    for (const Filter& f : trial().filters) {
        filtersOf += QString::fromStdString("|" + f.id + ":" + f.name + ":" + f.kind + ":" + f.curve + ":" + f.claimed_curve) +
                     QString(":%1").arg(f.effective_index.value_or(0));
        for (const std::string& file : {f.curve, f.claimed_curve})
            if (!file.empty()) filtersOf += QString(":%1").arg(m_session.curve(file).reading);
        for (const BandClaim& c : f.claims) filtersOf += QString(":%1 %2 %3").arg(c.center_nm).arg(c.fwhm_nm.value_or(0)).arg(c.peak.value_or(0));
    }
    if (filtersOf != m_filtersOf) {
        m_filtersOf = filtersOf;
        m_filters.clear();
        for (const Filter& f : trial().filters) {
            const FilterCurve known = filterCurve(m_session, f);
            if (known.curve.empty()) continue; // nothing is foretold of it
            Curve curve;                       // empty: nothing in the way
            if (known.source != CurveSource::NoFilter)
                curve = ConeShift({m_rig.fRatio(), m_rig.obstruction, f.effective_index.value_or(1.8), 0}).apply(known.curve, 0.5);
            m_filters.push_back({f.id, f.name, systemResponse(curve, m_camera), known.source == CurveSource::Claims || known.source == CurveSource::Makers});
        }
    }
    m_skies.clear();
    if (ready() && skyBrightness(site)) {
        for (const std::string& id : m_plan.filters) {
            const auto f = std::find_if(m_filters.begin(), m_filters.end(), [&](const PlanFilter& x) { return x.id == id; });
            if (f == m_filters.end() || f->channels.empty()) continue;
            std::vector<double> rates;
            for (const SkyMoment& m : m_track->samples()) {
                double most = 0;
                if (const auto light = skyLight(site, m))
                    for (const SystemChannel& c : f->channels)
                        most = std::max(most,
                                        backgroundRate(*light, c, site.lamps.value_or(LampMix{}), m_rig.aperture_mm, m_rig.obstruction, m_rig.scale_arcsec()));
                rates.push_back(most);
            }
            m_skies.emplace_back(id, std::move(rates));
        }
    }
    m_virtual.reset();
    if (m_wantsVirtual && ready())
        m_virtual.emplace(site, *m_track, static_cast<unsigned long long>(QDate::fromString(QString::fromStdString(m_plan.date), Qt::ISODate).toJulianDay()));
    deriveBlocks();
    suggest();
}

void NightModel::setVirtual(bool on) {
    m_wantsVirtual = on;
    follow();
}

double NightModel::cloudedPart() const {
    double clouded = 0, all = 0;
    for (const PlanBlock& b : m_plan.blocks)
        for (int k = 0; k < b.subs; ++k) {
            all += b.exposure_s;
            clouded += b.exposure_s * m_virtual->clouds(b.start_s + (k + 0.5) * (b.exposure_s + m_plan.settle_s));
        }
    return all > 0 ? clouded / all : 0;
}

void NightModel::deriveBlocks() {
    m_balance.clear();
    m_forecast = {};
    m_troubles.clear();
    if (!ready()) return;
    m_balance = balanceOf(m_plan, trial().site, *m_track);
    m_forecast = forecast(m_plan, m_filters, m_rig, trial().site, m_target, *m_track, groundOf(trial(), m_target, m_rig.scale_arcsec()));
    m_troubles = blockProblems(m_plan, trial(), *m_track);
}

void NightModel::suggest() {
    const Site& site = trial().site;
    const QString night = QString("%1 %2 %3").arg(site.latitude_deg.value_or(0)).arg(site.longitude_deg.value_or(0)).arg(QString::fromStdString(m_plan.date));
    const QString of = night + m_filtersOf + QString(" %1 %2 %3").arg(m_plan.lowest_deg).arg(m_plan.twilight_deg).arg(field_deg().first) +
                       QString::number(m_targets->size()) + chosenFilters() + horizonText();
    if (of == m_suggestionsOf) return;
    m_suggestionsOf = of;
    m_suggestions.clear();
    if (!m_session.hasTrial() || !site.latitude_deg || !site.longitude_deg) return; // a target is what is looked for
    std::vector<PlanFilter> chosen;
    for (const PlanFilter& f : m_filters)
        if (std::find(m_plan.filters.begin(), m_plan.filters.end(), f.id) != m_plan.filters.end()) chosen.push_back(f);
    if (chosen.empty()) chosen = m_filters;
    if (chosen.empty()) return;
    m_jobs.run(
        "suggest", tr("Looking for targets"),
        [this, passed = passedLines(chosen), field = field_deg(), plan = m_plan, site, track = m_track, targets = m_targets](const Job&) -> JobService::Finish {
            std::vector<Suggestion> found;
            if (track)
                found = suggestTargets(*targets, passed, field, plan, site, *track, 40);
            else if (const auto any = NightTrack::of({*site.latitude_deg, *site.longitude_deg, site.elevation_m}, plan.date, 0, 0))
                found = suggestTargets(*targets, passed, field, plan, site, *any, 40);
            return [this, targets, found = std::move(found)] {
                if (targets != m_targets) return;
                m_suggestions = found;
                emit suggestionsChanged();
            };
        });
}

QString NightModel::chosenFilters() const {
    QString out;
    for (const std::string& id : m_plan.filters) out += "," + QString::fromStdString(id);
    return out;
}

QString NightModel::horizonText() const {
    QString out;
    for (const HorizonPoint& p : trial().site.horizon) out += QString(" %1:%2").arg(p.azimuth_deg).arg(p.altitude_deg);
    return out;
}

std::vector<SubLength> NightModel::subLengths() const {
    std::vector<SubLength> out;
    if (!ready() || !m_track->sunBelow(m_plan.twilight_deg)) return out; // by day no length is right
    double at = NightTrack::kLength / 2;
    if (!m_plan.blocks.empty()) at = (m_plan.blocks.front().start_s + blockEnd(m_plan, m_plan.blocks.back())) / 2;
    for (const std::string& id : m_plan.filters)
        for (const PlanFilter& f : m_filters)
            if (f.id == id) out.push_back(subLength(f, m_rig, trial().site, m_track->at(at), 6));
    return out;
}

void NightModel::edit(const QString& what, Plan plan) {
    if (!m_session.hasTrial()) return;
    m_problem.clear();
    QString trouble;
    if (ready()) {
        Schedule laid = scheduleBlocks(plan, trial().site, *m_track);
        plan = laid.plan;
        trouble = QString::fromStdString(laid.problem);
    }
    Trial changed = trial();
    changed.plan = plan;
    m_session.edit(what, changed);
    if (!trouble.isEmpty() && m_problem.isEmpty()) {
        m_problem = trouble;
        emit this->changed();
    }
}

int NightModel::moveBlock(int index, double start_s, bool done) {
    if (index < 0 || index >= static_cast<int>(m_plan.blocks.size())) return index;
    m_plan.blocks[static_cast<std::size_t>(index)].start_s = std::clamp(start_s, 0.0, NightTrack::kLength - 60);
    if (!done) {
        deriveBlocks();
        emit blocksChanged();
        return index;
    }
    Trial changed = trial();
    changed.plan = m_plan;
    auto& blocks = changed.plan->blocks;
    const PlanBlock moved = blocks[static_cast<std::size_t>(index)];
    blocks.erase(blocks.begin() + index);
    const auto before = std::upper_bound(blocks.begin(), blocks.end(), moved, [](const PlanBlock& a, const PlanBlock& b) { return a.start_s < b.start_s; });
    const auto now = static_cast<int>(before - blocks.begin());
    blocks.insert(before, moved);
    m_session.edit(tr("Move a block"), changed);
    return now;
}

void NightModel::tick(const std::string& point, bool done) {
    Trial changed = trial();
    changed.plan = m_plan;
    std::erase(changed.plan->done, point);
    if (done) changed.plan->done.push_back(point);
    m_session.edit(tr("Checklist"), changed);
}

void NightModel::setOwnLengths(bool own) {
    Plan p = m_plan;
    p.exposures.clear();
    if (own)
        for (const SubLength& s : subLengths()) {
            if (s.skyLimited_s <= 0) continue;
            const double length = std::clamp(s.skyLimited_s, 5.0, 1200.0), step = length < 20 ? 1 : length < 60 ? 5 : length < 300 ? 10 : 60;
            p.exposures[s.filter] = step * std::round(length / step);
        }
    edit(own ? tr("Each its own length") : tr("One length for all"), p);
}

QString NightModel::darksText() {
    return QSettings().value("night/darks").toString();
}

std::vector<double> NightModel::darksAtHand() {
    std::vector<double> out;
    // What a person typed, and what the Subs found in the dark library.
    const QString all = darksText() + ' ' + QSettings().value("subs/dark-lengths").toString();
    for (const QString& part : all.split(QRegularExpression("[\\s;]+"), Qt::SkipEmptyParts))
        if (const double s = QString(part).replace(',', '.').toDouble(); s > 0) out.push_back(s);
    return out;
}

bool NightModel::setDarks(const QString& text) {
    const QString plain = QString(text).replace(", ", " ");
    for (const QString& part : plain.split(QRegularExpression("[\\s;]+"), Qt::SkipEmptyParts)) {
        bool ok = false;
        if (const double s = QString(part).replace(',', '.').toDouble(&ok); !ok || s <= 0) return false;
    }
    QSettings().setValue("night/darks", plain.simplified());
    return true;
}

void NightModel::fitSubs() {
    if (!ready()) return;
    Plan p = m_plan;
    p.subs = std::max(1, subsThatFit(p, trial().site, *m_track));
    edit(tr("As many subs as fit"), p);
}

void NightModel::setTarget(const DeepSky& target) {
    if (!m_session.hasTrial()) return;
    Trial changed = trial();
    changed.target = {target.id, target.ra_deg, target.dec_deg};
    if (!changed.plan) changed.plan = m_plan;
    // The track follows the new target before the blocks are laid for it.
    layFor(changed, target);
    m_session.edit(tr("Target %1").arg(QString::fromStdString(target.id)), changed);
}

void NightModel::setDate(const QString& date) {
    if (!m_session.hasTrial() || date.toStdString() == m_plan.date) return;
    Trial changed = trial();
    changed.plan = m_plan;
    changed.plan->date = date.toStdString();
    layFor(changed, m_target);
    m_session.edit(tr("Night of %1").arg(date), changed);
}

void NightModel::setZone(const QString& id) {
    Trial changed = trial();
    changed.site.zone = id.toStdString();
    m_session.edit(tr("Clock of the place"), changed);
}

Status NightModel::addTargets(const QString& path) {
    const auto text = readText(toPath(path));
    if (!text) return text.error();
    auto own = parseTargets(*text, path.toStdString());
    if (!own) return own.error();
    const QString file = ownTargetsFile();
    if (!QDir().mkpath(QFileInfo(file).path())) return Error{tr("The folder of %1 cannot be made; check its rights.").arg(file).toStdString()};
    if (const Status written = writeFile(toPath(file), *text); !written) return written;
    std::vector<DeepSky> targets = std::move(*own);
    targets.insert(targets.end(), deepSkyCatalogue().begin(), deepSkyCatalogue().end());
    m_suggestions.clear(); // they point into the targets of before
    m_suggestionsOf.clear();
    m_targets = std::make_shared<const std::vector<DeepSky>>(std::move(targets));
    follow();
    return Done{};
}

} // namespace caelumen
