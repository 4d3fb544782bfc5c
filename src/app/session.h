#pragma once

#include "app/curve_shelf.h"
#include "app/job_service.h"
#include "core/model/filter_shelf.h"
#include "core/model/results.h"
#include "core/picture/pyramid.h"
#include "store/campaign.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QSize>
#include <QTimer>
#include <QUndoStack>

#include <map>
#include <memory>
#include <optional>

namespace caelumen {

class StarMemory;

/// What the window shows: the open campaign, the trial in hand, its measured results and its pictures. Every edit goes through edit(): it can be undone, is
/// saved at once, and the figures follow.
class Session : public QObject {
    Q_OBJECT

public:
    explicit Session(QObject* parent = nullptr);

    /// A campaign that is not there yet is made, or with `mustExist` refused.
    Status openCampaign(const QString& path, bool mustExist = false);
    Status saveCampaignAs(const QString& path); ///< copies, then goes on with the copy
    const Campaign* campaign() const { return m_campaign.get(); }
    bool canEdit() const { return m_campaign && !m_campaign->isReadOnly(); }
    void keep(const QString& key, const QString& value); ///< a setting of the campaign; saved like an edit
    QString kept(const QString& key) const;
    std::vector<Campaign::Entry> trials();

    /// Why the last edits are not in the file; empty when everything is saved. They stay in memory and are tried again until they are.
    const QString& notSaved() const { return m_notSaved; }
    void saveAgain();
    /// Goes on as the one who may edit the campaign; the window that did can then only read it.
    void takeOver();

    bool hasTrial() const { return m_trialId != 0; }
    qint64 trialId() const { return m_trialId; }
    const Trial& trial() const { return m_trial; }
    /// Telescope and camera of the trial, completed by the headers of its frames once they were measured.
    Rig rig() const;
    void showTrial(qint64 id);
    /// Adds a trial and shows it.
    Status addTrial(const Trial& trial);
    void removeTrial();
    /// The trial that was removed last from this campaign, until it is put back; empty without.
    QString removedTrial() const { return m_removed ? QString::fromStdString(m_removed->title) : QString(); }
    void restoreTrial();
    /// A run's stack lies elsewhere now. Others that are missing and lie beside it under their old names come along. One edit.
    void relink(const QString& run, const QString& file);
    /// A trial of the campaign with its edits.
    Result<Trial> stored(qint64 id) const;
    /// A new trial from frames, or more runs for the trial in hand. Reads headers in the background.
    void takeFrames(const QStringList& files, bool intoCurrent);

    /// Replaces the trial by a changed one. `merge` > 0 joins consecutive edits of the same number into one undo step (dragging).
    void edit(const QString& what, const Trial& changed, int merge = 0);
    QUndoStack& undoStack() { return m_undo; }

    /// The filters that this campaign owns, of whichever trial.
    const FilterShelf& shelf() const { return m_shelf; }
    void setShelf(const FilterShelf& shelf);
    /// Those of another campaign, which is only read.
    static Result<FilterShelf> shelfOf(const QString& campaign); ///< slow: it is looked through

    const TrialResults* results() const { return m_results.get(); }
    std::shared_ptr<const TrialResults> sharedResults() const { return m_results; }
    bool resultsAreCurrent() const { return m_current; }
    const QString& whyNotMeasured() const { return m_whyNotMeasured; } ///< one sentence; empty while it goes on or is done
    QString whyNoPicture(const QString& run) const;
    std::shared_ptr<const PicturePyramid> picture(const QString& run) const;
    Alignment alignmentOf(const QString& run) const;
    QSize frameSize() const { return m_frame; } ///< of the baseline, stored pixels

    /// A curve of the trial's filters, by the name that the trial gives it.
    const CurveShelf::Kept& curve(const std::string& file) { return m_curves.at(m_folder / file); }

    /// Whether a file may be written: not over a frame, curve or photo of the trial, nor over the campaign.
    Status mayWrite(const QString& path) const;
    /// Writes a file where it may be written.
    Status write(const QString& path, std::string_view bytes) const;

    JobService& jobs() { return m_jobs; }
    void measureSoon();
    void measureNow(bool anew = false); ///< anew: whatever is kept of the same trial
    void stop();                        ///< all work
    const std::filesystem::path& folder() const { return m_folder; }

signals:
    void campaignChanged();
    void trialListChanged();
    void trialChanged();   ///< another trial, or an edit
    void resultsChanged(); ///< new results, or they have become stale
    void picturesChanged();
    void savingChanged(); ///< whether edits can be made, and whether they are saved
    void failed(const QString& sentence);
    void told(const QString& sentence);

private:
    friend class TrialEdit;
    void setTrial(const Trial& trial);
    void loadPictures();
    void propose();
    void lookAround();
    void bringToDisk();
    void forget();
    void showAny();
    void loadShelf();
    void watchFiles();
    void take(const Trial& measured, const std::shared_ptr<const TrialResults>& results);
    void filesChanged();

    JobService m_jobs, m_intake, m_disk; ///< what is dropped, and what is saved, does not wait for what is measured
    std::uint64_t m_onDisk = 0;          ///< changes of the campaign that were sent there
    bool m_opening = false;
    QString m_diskTrouble; ///< told once, while it is tried again
    CurveShelf m_curves;
    FilterShelf m_shelf;
    std::shared_ptr<StarMemory> m_memory; ///< stars of the trial in hand
    QUndoStack m_undo;
    QTimer m_delay, m_watch, m_saveDelay, m_changedDelay;
    QFileSystemWatcher m_files; ///< the trial's stacks
    QStringList m_changedFiles;
    std::optional<Trial> m_removed;
    std::unique_ptr<Campaign> m_campaign;
    Campaign::Unsaved m_unsaved;
    QString m_notSaved;
    qint64 m_trialId = 0;
    Trial m_trial;
    std::filesystem::path m_folder; ///< stays empty: the campaign gives absolute names
    std::shared_ptr<const TrialResults> m_results;
    bool m_current = false;
    QString m_whyNotMeasured;
    std::map<QString, QString> m_whyNoPicture; ///< by run
    QSize m_frame;
    std::map<QString, std::pair<QString, std::shared_ptr<const PicturePyramid>>> m_pictures; ///< by run: what it was made from, and the picture
};

} // namespace caelumen
