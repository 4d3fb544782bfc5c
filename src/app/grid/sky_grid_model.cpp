#include "app/grid/sky_grid_model.h"

#include "app/await.h"
#include "app/camera_shelf.h"
#include "app/widgets/paths.h"
#include "core/compare/measure_trial.h"

#include <QFileInfo>

#include <algorithm>
#include <cmath>
#include <limits>

namespace caelumen {
namespace {

/// Lamps between a town of sodium and one of LED.
LampMix lampsBetween(double led) {
    const double old = 1 - led;
    return {0.75 * old, 0.15 * old, 0.1 * old, 0.5 * led, 0.5 * led};
}

/// What follows from one wish, worked out away from the window.
struct Answer {
    std::shared_ptr<const GridModel> model;
    GridQuestion question;
    std::vector<GridCell> cells;
};

/// The moon of the trial in hand, in steps that the sliders have.
std::optional<GridMoon> moonOf(const GridInput& in) {
    if (in.runs.empty() || !in.runs.front().sky || !in.runs.front().sky->moon) return std::nullopt;
    const GridMoon m = *in.runs.front().sky->moon;
    if (m.illuminated < 0.025) return std::nullopt;
    return GridMoon{std::round(20 * m.illuminated) / 20, std::clamp(std::round(m.altitude_deg), 5.0, 85.0),
                    std::clamp(std::round(m.separation_deg), 5.0, 150.0)};
}

ValueGrid latticeOf(const GridModel& model, GridQuestion q, const std::string& filter, const std::optional<GridMoon>& moon, double altitude) {
    ValueGrid out{SkyGridModel::kLatticeColumns, SkyGridModel::kLatticeRows, {}};
    const GridFilter* f = model.input().filter(filter);
    if (!f) return {};
    const GridMoon place = moon.value_or(GridMoon{});
    for (std::size_t row = 0; row < out.rows; ++row)
        for (std::size_t column = 0; column < out.columns; ++column) {
            const double part = static_cast<double>(column) / static_cast<double>(out.columns - 1),
                         lit = static_cast<double>(row) / static_cast<double>(out.rows - 1);
            GridSky sky = skyOfReading(SkyGridModel::kDarkest + part * (SkyGridModel::kBrightest - SkyGridModel::kDarkest),
                                       row == 0 ? std::nullopt : std::optional(GridMoon{lit, place.altitude_deg, place.separation_deg}), altitude);
            sky.bortle.reset(); // readings: a class has edges
            const GridCell c = gridCell(model, q, *f, sky);
            out.values.push_back(c.origin == CellOrigin::Empty ? std::numeric_limits<double>::quiet_NaN() : c.value);
        }
    return out;
}

} // namespace

SkyGridModel::SkyGridModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session) {
    connect(&m_session, &Session::trialListChanged, this, &SkyGridModel::follow);
    connect(&m_session, &Session::trialChanged, this, &SkyGridModel::follow);
    connect(&m_session, &Session::resultsChanged, this, &SkyGridModel::follow);
    connect(&m_session, &Session::campaignChanged, this, [this] {
        m_trials.clear();
        m_others.clear();
        m_kindChosen = m_altitudeChosen = m_moonChosen = false;
        follow();
    });
    connect(&m_jobs, &JobService::failed, this, &SkyGridModel::failed);
    connect(&m_steps, &JobService::failed, this, &SkyGridModel::failed);
    connect(&m_conclusions, &JobService::failed, this, &SkyGridModel::failed);
    connect(&m_predictions, &JobService::failed, this, &SkyGridModel::failed);
}

void SkyGridModel::setActive(const QObject* view, bool active) {
    if (active)
        m_views.insert(view);
    else
        m_views.erase(view);
    if (!m_views.empty() && m_stale) follow();
}

void SkyGridModel::follow() {
    m_stale = m_views.empty();
    if (m_stale) return;
    std::vector<Known> now;
    const auto take = [&](const QString& name, qint64 id, Trial trial) {
        if (trial.runs.empty()) return; // a night that is only planned
        Known k{name, id, std::move(trial), nullptr, {}};
        if (id != 0 && id == m_session.trialId() && m_session.resultsAreCurrent()) k.results = m_session.sharedResults();
        for (const Known& before : m_trials)
            if (!k.results && before.id == id && before.name == name && measuredAlike(before.trial, k.trial))
                k.results = before.results, k.problem = before.problem;
        for (const Known& other : now)
            if (other.name == k.name) k.name += QString(" (%1)").arg(now.size() + 1);
        now.push_back(std::move(k));
    };
    for (const Campaign::Entry& e : m_session.trials()) {
        if (e.id == m_session.trialId())
            take(e.title, e.id, m_session.trial());
        else if (auto trial = m_session.campaign()->trial(e.id))
            take(e.title, e.id, std::move(*trial));
    }
    for (const Known& k : m_trials)
        if (k.id == 0) now.push_back(k); // of other campaigns
    m_trials = std::move(now);
    measureMissing();
}

void SkyGridModel::measureMissing() {
    std::vector<std::size_t> missing;
    for (std::size_t i = 0; i < m_trials.size(); ++i)
        if (!m_trials[i].results && m_trials[i].problem.isEmpty() && !(m_trials[i].id == m_session.trialId() && m_session.jobs().busy("measure")))
            missing.push_back(i);
    if (missing.empty()) return build();
    m_jobs.run("measure", tr("Measuring for the sky grid"), [this, trials = m_trials, missing](const Job& job) -> JobService::Finish {
        std::vector<std::pair<std::size_t, Result<TrialResults>>> done;
        for (std::size_t n = 0; n < missing.size(); ++n) {
            Job part = job;
            part.progress = [&, n](double p, const std::string&) {
                job.report((static_cast<double>(n) + p) / static_cast<double>(missing.size()), tr("Measuring %1").arg(trials[missing[n]].name).toStdString());
            };
            done.emplace_back(missing[n], measureTrial(trials[missing[n]].trial, {}, part));
            if (job.cancelled()) return {};
        }
        return [this, trials, done = std::make_shared<decltype(done)>(std::move(done))] {
            for (auto& [index, result] : *done)
                for (Known& k : m_trials) {
                    if (k.id != trials[index].id || k.name != trials[index].name || !measuredAlike(k.trial, trials[index].trial)) continue;
                    if (result)
                        k.results = std::make_shared<const TrialResults>(std::move(*result));
                    else
                        k.problem = QString::fromStdString(result.error().message);
                    break;
                }
            build();
        };
    });
    emit changed(); // that it is on its way
}

void SkyGridModel::build() {
    m_ready.clear();
    QStringList problems;
    // The trial in hand first: its baseline is everybody's.
    std::vector<const Known*> order;
    for (const Known& k : m_trials)
        if (k.id != 0 && k.id == m_session.trialId()) order.push_back(&k);
    for (const Known& k : m_trials)
        if (std::find(order.begin(), order.end(), &k) == order.end()) order.push_back(&k);
    for (const Known* k : order) {
        if (!k->results) {
            if (!k->problem.isEmpty()) problems << tr("%1 could not be measured: %2").arg(k->name, k->problem);
            continue;
        }
        GridTrial t{k->name.toStdString(), k->trial, {}, k->results};
        if (!k->trial.rig.camera.empty()) t.camera = cameraOf(k->trial.rig.camera);
        m_ready.push_back(std::move(t));
    }
    m_problem.clear();
    if (m_ready.empty()) {
        m_grid.reset();
        m_cells.clear();
        m_problem = !problems.isEmpty() ? problems.join('\n')
                    : m_trials.empty()  ? tr("A grid needs a measured trial. Drop stacked frames on the window, or stack a night's subs; what was measured "
                                              "under one sky is then carried to all others.")
                    : m_jobs.busy()     ? QString()
                                        : tr("The trials are not measured yet.");
        emit changed();
        return;
    }
    step();
}

void SkyGridModel::step() {
    if (m_ready.empty()) return;
    m_steps.run("step", tr("Working out the grid"),
                [this, trials = m_ready, question = m_question, chosenMoon = m_moon, whatIf = m_whatIf, filter = m_filter, kindChosen = m_kindChosen,
                 altitudeChosen = m_altitudeChosen, moonChosen = m_moonChosen, known = m_grid, before = m_builtFrom](const Job&) -> JobService::Finish {
                    Answer a;
                    a.question = question;
                    GridSetting setting;
                    setting.fRatio = whatIf.fRatio;
                    setting.lines.nitrogen = whatIf.nitrogen;
                    if (!whatIf.camera.isEmpty()) setting.camera = cameraOf(whatIf.camera.toStdString());
                    // Lamps and heights change no response: the fitted model stays.
                    BuiltFrom from{setting.fRatio, whatIf.camera, whatIf.nitrogen, {}};
                    for (const GridTrial& t : trials) from.results.push_back(t.results.get());
                    if (known && from == before) {
                        auto model = std::make_shared<GridModel>(*known);
                        model->setLamps(whatIf.ledShare ? std::optional(lampsBetween(*whatIf.ledShare)) : std::nullopt);
                        a.model = model;
                    } else {
                        auto input = gridInput(trials, {}, setting);
                        if (!input)
                            return [this, sentence = QString::fromStdString(input.error().message)] {
                                m_grid.reset(), m_cells.clear(), m_problem = sentence;
                                emit changed();
                            };
                        auto model = std::make_shared<GridModel>(std::move(*input));
                        model->setLamps(whatIf.ledShare ? std::optional(lampsBetween(*whatIf.ledShare)) : std::nullopt);
                        a.model = model;
                    }
                    const GridInput& in = a.model->input();
                    if (!kindChosen) a.question.kind = in.kind;
                    const auto moon = moonChosen ? chosenMoon : moonOf(in);
                    const double altitude = altitudeChosen ? whatIf.altitude_deg : in.usualAltitude_deg();
                    a.question.skies.clear();
                    for (int b = 1; b <= 9; ++b) a.question.skies.push_back(skyOfClass(b, moon, altitude));
                    if (whatIf.reading) {
                        GridSky own = skyOfReading(*whatIf.reading, moon, altitude);
                        own.bortle.reset();
                        auto& skies = a.question.skies; // from dark to bright
                        skies.insert(std::find_if(skies.begin(), skies.end(), [&](const GridSky& s) { return s.zenith_mag < own.zenith_mag; }), own);
                    }
                    a.cells = gridCells(*a.model, a.question);
                    std::string shown = filter.toStdString();
                    if (!in.filter(shown)) shown = in.filters.size() > 1 ? in.filters[1].id : in.baseline;
                    return [this, a = std::move(a), shown, altitude, altitudeChosen, moon, from] {
                        m_moon = moon;
                        m_grid = a.model, m_question = a.question, m_cells = a.cells;
                        m_builtFrom = from;
                        m_filter = QString::fromStdString(shown);
                        if (!altitudeChosen) m_whatIf.altitude_deg = altitude;
                        m_problem.clear();
                        emit changed();
                        conclude();
                        predict();
                    };
                });
}

/// What takes longer than the cells, and may come after them.
void SkyGridModel::conclude() {
    m_conclusions.run("conclude", tr("Concluding"),
                      [this, model = m_grid, question = m_question, moon = m_moon, altitude = m_whatIf.altitude_deg,
                       filter = m_filter.toStdString()](const Job& job) -> JobService::Finish {
                          ValueGrid lattice = latticeOf(*model, question, filter, moon, altitude);
                          auto borders = frontiers(*model, moon, altitude);
                          if (job.cancelled()) return {};
                          auto next = nextMeasurements(*model, question);
                          return [this, lattice = std::move(lattice), borders = std::move(borders), next = std::move(next)] {
                              m_lattice = lattice, m_borders = borders, m_next = next;
                              emit changed();
                          };
                      });
}

void SkyGridModel::predict() {
    if (!m_wantsPicture || !m_grid) return;
    m_wish.kind = m_question.kind;
    const GridSky middle = skyOfClass(5, m_moon, m_whatIf.altitude_deg);
    m_wish.sky = m_pictureSky ? *m_pictureSky : middle;
    m_wish.sky.moon = m_moon, m_wish.sky.altitude_deg = m_whatIf.altitude_deg;
    m_predictions.run("predict", tr("Painting"), [this, model = m_grid, filter = m_filter.toStdString(), wish = m_wish](const Job&) -> JobService::Finish {
        auto pictures = predictPictures(*model, filter, wish);
        return [this, pictures = std::move(pictures)] {
            m_pictures = pictures;
            emit pictureChanged();
        };
    });
}

void SkyGridModel::wantPicture(bool wanted) {
    m_wantsPicture = wanted;
    predict();
}

void SkyGridModel::setPictureSky(const GridSky& sky) {
    m_pictureSky = sky;
    predict();
}

void SkyGridModel::setPictureHours(double hours) {
    m_wish.hours = hours;
    predict();
}

void SkyGridModel::setKind(TargetKind kind) {
    m_kindChosen = true;
    m_question.kind = kind;
    m_question.brightness.reset(); // in another unit
    step();
}

void SkyGridModel::setQuantity(GridQuantity quantity) {
    m_question.quantity = quantity;
    step();
}

void SkyGridModel::setBrightness(std::optional<double> brightness) {
    m_question.brightness = brightness;
    step();
}

void SkyGridModel::setMoon(std::optional<GridMoon> moon) {
    m_moon = moon;
    m_moonChosen = true;
    step();
}

void SkyGridModel::setWhatIf(const WhatIf& whatIf) {
    if (whatIf.altitude_deg != m_whatIf.altitude_deg) m_altitudeChosen = true;
    m_whatIf = whatIf;
    step();
}

void SkyGridModel::chooseFilter(const QString& id) {
    if (id == m_filter) return;
    m_filter = id;
    if (m_grid) conclude(), predict();
    emit changed();
}

namespace {

/// The trials of a campaign that have runs, with their titles.
Result<std::vector<std::pair<QString, Trial>>> trialsOf(const QString& path) {
    const auto campaign = Campaign::openToRead(path);
    if (!campaign) return campaign.error();
    const auto entries = (*campaign)->trials();
    if (!entries) return entries.error();
    std::vector<std::pair<QString, Trial>> out;
    for (const Campaign::Entry& e : *entries)
        if (auto trial = (*campaign)->trial(e.id); trial && !trial->runs.empty()) out.emplace_back(e.title, std::move(*trial));
    return out;
}

} // namespace

Status SkyGridModel::addCampaign(const QString& path) {
    if (m_session.campaign() && QFileInfo(path).absoluteFilePath() == m_session.campaign()->path())
        return Error{tr("That campaign is open already: its trials are in the grid.").toStdString()};
    const QString name = QFileInfo(path).completeBaseName();
    if (m_others.contains(name)) return Done{};
    auto trials = awaited([path] { return trialsOf(path); });
    if (!trials) return trials.error();
    if (trials->empty()) return Error{tr("%1 holds no trial with runs.").arg(name).toStdString()};
    for (auto& [title, trial] : *trials) m_trials.push_back({name + ": " + title, 0, std::move(trial), nullptr, {}});
    m_others << name;
    measureMissing();
    return Done{};
}

void SkyGridModel::forgetOthers() {
    m_others.clear();
    std::erase_if(m_trials, [](const Known& k) { return k.id == 0; });
    build();
}

qint64 SkyGridModel::trialOf(const std::string& name) const {
    for (const Known& k : m_trials)
        if (k.name.toStdString() == name) return k.id;
    return 0;
}

} // namespace caelumen
