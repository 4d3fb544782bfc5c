#include "app/verdict/verdict_model.h"

#include "app/grid/sky_grid_model.h"
#include "core/base/json.h"

#include <QUndoCommand>
#include <QUndoStack>

#include <algorithm>

namespace caelumen {

/// One change of the profile.
class ProfileEdit : public QUndoCommand {
public:
    ProfileEdit(VerdictModel& model, Profile after, const QString& what)
        : QUndoCommand(what)
        , m_model(model)
        , m_before(model.profile())
        , m_after(std::move(after)) {}
    void undo() override { m_model.take(m_before); }
    void redo() override { m_model.take(m_after); }
    int id() const override { return 0x0f11e; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = static_cast<const ProfileEdit*>(other);
        if (next->text() != text()) return false;
        m_after = next->m_after;
        return true;
    }

private:
    VerdictModel& m_model;
    Profile m_before, m_after;
};

VerdictModel::VerdictModel(Session& session, SkyGridModel& trials, QObject* parent)
    : QObject(parent)
    , m_session(session)
    , m_trials(trials)
    , m_profile(startProfiles().at(1)) {
    connect(&m_session, &Session::campaignChanged, this, &VerdictModel::load);
    connect(&m_trials, &SkyGridModel::changed, this, [this] {
        std::vector<const TrialResults*> now;
        for (const GridTrial& t : m_trials.measured()) now.push_back(t.results.get());
        const bool others = now != m_seen;
        if (others || !m_verdict) judgeSoon();
        if (others && m_active) compare(); // a profile changes nothing there
    });
    connect(&m_jobs, &JobService::failed, this, &VerdictModel::failed);
}

bool VerdictModel::busy() const {
    return m_jobs.busy() || m_trials.jobs().busy();
}

void VerdictModel::load() {
    const QString kept = m_session.kept("profile");
    m_profile = startProfiles().at(1);
    if (!kept.isEmpty())
        if (const auto profile = profileFromText(kept.toStdString(), "the campaign's profile")) m_profile = *profile;
    m_before = m_now = {};
    m_oldNew.reset();
    m_verdict.reset();
    emit profileChanged();
    judgeSoon();
}

void VerdictModel::setActive(bool active) {
    m_active = active;
    m_trials.setActive(this, active);
    if (!m_active || !m_stale) return;
    judgeSoon();
    compare();
}

void VerdictModel::setProfile(const Profile& profile, const QString& what) {
    if (profile == m_profile) return;
    m_session.undoStack().push(new ProfileEdit(*this, profile, what));
}

void VerdictModel::take(const Profile& profile) {
    m_profile = profile;
    if (m_session.canEdit()) m_session.keep("profile", QString::fromStdString(jsonText(profileToJson(profile)))); // else it is only tried out
    emit profileChanged();
    judgeSoon();
}

void VerdictModel::setOnlyThisTrial(bool only) {
    if (only == m_onlyThis) return;
    m_onlyThis = only;
    judgeSoon();
}

const std::vector<GridTrial>& VerdictModel::trials() const {
    return m_trials.measured();
}

const GridTrial* VerdictModel::trialOf(const QString& name) const {
    const auto& all = trials();
    const auto found = std::find_if(all.begin(), all.end(), [&](const GridTrial& t) { return t.name == name.toStdString(); });
    return found == all.end() ? nullptr : &*found;
}

QString VerdictModel::nameOf(const std::string& filter) const {
    for (const GridTrial& t : trials())
        if (const Filter* f = t.trial.filter(filter)) return QString::fromStdString(f->name);
    return QString::fromStdString(filter);
}

void VerdictModel::judgeSoon() {
    m_stale = !m_active;
    if (m_stale) return;
    std::vector<GridTrial> wanted = trials();
    m_seen.clear();
    for (const GridTrial& t : wanted) m_seen.push_back(t.results.get());
    if (m_onlyThis && wanted.size() > 1) wanted.resize(1); // the trial in hand is the first
    if (wanted.empty()) {
        m_verdict.reset();
        m_problem =
            m_session.hasTrial() ? m_trials.problem() : tr("A verdict needs a measured trial. Drop stacked frames on the window, or stack a night's subs.");
        emit changed();
        return;
    }
    m_jobs.run("judge", tr("Judging"), [this, wanted = std::move(wanted), profile = m_profile](const Job&) -> JobService::Finish {
        std::shared_ptr<const Verdict> verdict;
        QString problem;
        // Shares as they are typed are made to sum to one, as they would be from a file.
        const auto whole = profileFromText(jsonText(profileToJson(profile)), "The profile");
        if (!whole) {
            problem = QString::fromStdString(whole.error().message);
        } else if (auto input = gridInput(wanted, {}, settingOf(*whole)); !input) {
            problem = QString::fromStdString(input.error().message);
        } else {
            const GridModel model(std::move(*input));
            if (auto judged = judge(*whole, wanted, model)) {
                judged->notes.insert(judged->notes.begin(), whole->notes.begin(), whole->notes.end());
                verdict = std::make_shared<const Verdict>(std::move(*judged));
            } else {
                problem = QString::fromStdString(judged.error().message);
            }
        }
        return [this, verdict, problem, judged = whole ? *whole : Profile{}] {
            m_verdict = verdict, m_problem = problem, m_judged = judged;
            emit changed();
        };
    });
}

std::optional<std::pair<qint64, QString>> VerdictModel::runOf(const std::string& filter) const {
    for (const GridTrial& t : trials()) // the trial in hand first
        for (const Run& r : t.trial.runs)
            if (const qint64 id = m_trials.trialOf(t.name); id != 0 && r.filter == filter) return std::pair{id, QString::fromStdString(r.id)};
    return std::nullopt;
}

std::optional<std::pair<qint64, QString>> VerdictModel::runOf(const TrialRun& run) const {
    const qint64 id = m_trials.trialOf(run.trial.toStdString());
    return id == 0 ? std::nullopt : std::optional(std::pair{id, run.run});
}

void VerdictModel::setOldNew(const TrialRun& before, const TrialRun& now) {
    if (before == m_before && now == m_now) return;
    m_before = before, m_now = now;
    compare();
}

void VerdictModel::compare() {
    const GridTrial *a = trialOf(m_before.trial), *b = trialOf(m_now.trial);
    if (!a || !b || !a->trial.run(m_before.run.toStdString()) || !b->trial.run(m_now.run.toStdString())) {
        m_oldNew.reset();
        m_oldNewProblem.clear();
        emit oldNewChanged();
        return;
    }
    m_jobs.run("old and new", tr("Comparing"),
               [this, before = *a, now = *b, x = m_before.run.toStdString(), y = m_now.run.toStdString()](const Job&) -> JobService::Finish {
                   auto compared = compareOldNew(before, x, now, y);
                   return [this, compared = std::move(compared)] {
                       m_oldNew = compared ? std::optional(*compared) : std::nullopt;
                       m_oldNewProblem = compared ? QString() : QString::fromStdString(compared.error().message);
                       emit oldNewChanged();
                   };
               });
}

} // namespace caelumen
