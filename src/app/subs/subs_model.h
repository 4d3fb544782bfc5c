#pragma once

#include "app/job_service.h"
#include "app/session.h"
#include "app/subs/folder_watch.h"
#include "app/subs/sub_pictures.h"
#include "app/subs/subs_decisions.h"
#include "app/subs/subs_run.h"
#include "core/prepare/intake.h"

#include <QImage>
#include <QObject>
#include <QTimer>

#include <set>

namespace caelumen {

/// Frames taken in, their groups, the run in hand with its figures and verdicts. All reading and measuring happens away from the interface thread.
class SubsModel : public QObject {
    Q_OBJECT

public:
    explicit SubsModel(Session& session, QObject* parent = nullptr);

    const SubsDecisions& decisions() const { return m_decisions; }
    void decide(const QString& what, const SubsDecisions& changed, int merge = 0); ///< one undo step
    const std::vector<IntakeFrame>& frames() const { return m_frames; }
    const std::vector<FrameGroup>& groups() const { return m_groups; }
    int current() const { return m_current; } ///< of groups(); -1 without lights
    void choose(int group);
    const JudgedRun& run() const { return here().run; } ///< of the current group, by time
    bool judged() const { return here().judged; }       ///< against each other; before that only figures are known
    const SubMeasurer* measurer() const { return here().measurer.get(); }
    const SubsRun* runOf(int group) const; ///< of any group of lights; null before anything is known of it
    SubsRecipe recipe(int group) const;
    bool trialFits() const;   ///< the trial in hand is of the same target: its telescope and place are these subs'
    QString unusable() const; ///< what could not be taken in, a line each

    void addSources(const QStringList& paths);
    void removeGroup(int group);
    void tellKind(int group, FrameKind kind);
    void tell(int group, const ToldFacts& facts);
    ToldFacts told(int group) const;
    const IntakeFrame& asRead(std::size_t frame) const { return m_taken->frames[frame]; } ///< of frames(), by its header and name alone
    /// A person's word on one sub of the run: keep, reject, or (neither) as judged.
    enum class Word { Judged, Keep, Reject };
    void overrule(std::size_t sub, Word word);
    Word wordOn(std::size_t sub) const;

    /// Watches a folder: files that have stopped growing are taken in and judged.
    void watch(const QString& folder);
    QString watched() const { return m_watch.folder(); }

    /// Stacks groups of lights, one after another; stacks(files) follows.
    void stack(const std::vector<std::pair<int, QString>>& groupsAndFiles);
    bool busy() const { return m_jobs.busy(); }
    JobService& jobs() { return m_jobs; }
    /// How much of the moonlight passes compared with the first run (the baseline); absent until both are judged under a changing moon.
    std::optional<MoonRejection> moonAgainstFirst(const std::string& channel) const;

    /// The sub's picture at its own size, in the stretch of the reference; picture() is null until pictureReady says otherwise.
    void wantPicture(std::size_t sub);
    QImage picture(std::size_t sub) const;

    /// Where darks and biases for all campaigns lie.
    static QString darkLibrary();
    void setDarkLibrary(const QString& folder);

signals:
    void groupsChanged();
    void runChanged(); ///< another run, its figures or verdicts
    void pictureReady(int sub);
    void nightJudged();              ///< verdicts or scales of some run are new
    void landed(int group, int sub); ///< of the watched folder, newly judged
    void stacked(const QStringList& files, const QStringList& notes);
    void problem(const QString& sentence);
    void watchChanged();

private:
    friend class SubsEdit;
    void setDecisions(const SubsDecisions& decisions);
    void load();
    void takeIn();
    void regroup();
    void measure(); ///< every run: the current one first
    void measureNext();
    SubsRun& runFor(std::size_t group); ///< with its subs as they are now
    const SubsRun& here() const;
    void keepDarkLengths() const; ///< of the library, for the Night's checklist
    void judgeAfresh(SubsRun& run) const;
    void takeJudged(const QString& key);
    void judgeNow();
    void takeFigures(const QString& key, const QString& of, const SharedFigures& figures); ///< one sub has been measured, the others not yet
    void rescale();                                                                        ///< the transparency of all runs of a night on one scale
    void takeLanded(const std::set<std::string>& files);                                   ///< in the watched folder
    CullOptions cull() const;
    static QString newKey(const FrameGroup& group);

    /// Frames as their headers say. Jobs hold what there was when they began.
    struct Taken {
        std::vector<IntakeFrame> frames, library; ///< of what was dropped; of the dark library
    };

    Session& m_session;
    JobService m_jobs;
    SubsDecisions m_decisions;
    std::shared_ptr<const Taken> m_taken = std::make_shared<const Taken>();
    std::set<std::string> m_stale;     ///< files that have changed since
    std::vector<IntakeFrame> m_frames; ///< those read, with what a person said
    std::vector<FrameGroup> m_groups;
    std::vector<QString> m_keys; ///< of the groups, by which their runs are known
    int m_current = -1;
    QString m_currentKey;
    std::map<QString, SubsRun> m_runs; ///< by group of lights
    std::set<std::string> m_landed;    ///< files of the watched folder whose verdict nobody has heard
    FolderWatch m_watch;
    SubPictures m_pictures;
    QTimer m_tellLater; ///< not of each of hundreds
};

} // namespace caelumen
