#pragma once

#include "app/job_service.h"
#include "app/session.h"
#include "core/verdict/old_new.h"
#include "core/verdict/verdict.h"

#include <QObject>

namespace caelumen {

class SkyGridModel;

/// A run of a trial, by the trial's name.
struct TrialRun {
    QString trial, run;
    friend bool operator==(const TrialRun&, const TrialRun&) = default;
};

/// The verdict for a profile over the campaign's trials, followed in the background. The profile belongs to the campaign; edits of it can be undone.
class VerdictModel : public QObject {
    Q_OBJECT

public:
    VerdictModel(Session& session, SkyGridModel& trials, QObject* parent = nullptr);

    void setActive(bool active);
    JobService& jobs() { return m_jobs; }
    bool busy() const;
    const Profile& profile() const { return m_profile; }
    void setProfile(const Profile& profile, const QString& what); ///< an undo step; steps of one `what` in a row are one
    bool onlyThisTrial() const { return m_onlyThis; }
    void setOnlyThisTrial(bool only);
    const Verdict* verdict() const { return m_verdict.get(); }
    std::shared_ptr<const Verdict> shared() const { return m_verdict; }
    const QString& problem() const { return m_problem; } ///< why there is none
    QString nameOf(const std::string& filter) const;
    /// The profile as it was judged by: shares that sum to one.
    const Profile& judgedProfile() const { return m_judged; }
    /// Where a filter's figures were measured, the trial in hand first: trial and run; empty where that is another campaign's.
    std::optional<std::pair<qint64, QString>> runOf(const std::string& filter) const;
    std::optional<std::pair<qint64, QString>> runOf(const TrialRun& run) const;

    const std::vector<GridTrial>& trials() const;
    void setOldNew(const TrialRun& before, const TrialRun& now);
    const TrialRun& before() const { return m_before; }
    const TrialRun& now() const { return m_now; }
    const std::optional<OldNew>& oldNew() const { return m_oldNew; }
    const QString& oldNewProblem() const { return m_oldNewProblem; }

signals:
    void changed();
    void profileChanged();
    void oldNewChanged();
    void failed(const QString& sentence);

private:
    friend class ProfileEdit;
    void load();
    void take(const Profile& profile);
    void judgeSoon();
    void compare();
    const GridTrial* trialOf(const QString& name) const;

    Session& m_session;
    SkyGridModel& m_trials;
    JobService m_jobs;
    Profile m_profile, m_judged;
    bool m_active = false, m_stale = true, m_onlyThis = false;
    std::vector<const TrialResults*> m_seen; ///< what the verdict rests on
    std::shared_ptr<const Verdict> m_verdict;
    QString m_problem;
    TrialRun m_before, m_now;
    std::optional<OldNew> m_oldNew;
    QString m_oldNewProblem;
};

} // namespace caelumen
