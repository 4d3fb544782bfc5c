#include "app/session.h"

#include "app/await.h"
#include "app/results_shelf.h"
#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/compare/measure_trial.h"
#include "core/compare/propose.h"
#include "core/compare/star_memory.h"

#include <QFileInfo>
#include <QScopedValueRollback>
#include <QUndoCommand>

#include <algorithm>
#include <utility>

namespace caelumen {

/// Before and after as whole values: nothing can be forgotten on the way back.
class TrialEdit : public QUndoCommand {
public:
    TrialEdit(Session& session, const QString& what, Trial before, Trial after, int merge)
        : QUndoCommand(what)
        , m_session(session)
        , m_before(std::move(before))
        , m_after(std::move(after))
        , m_merge(merge) {}
    void redo() override { m_session.setTrial(m_after); }
    void undo() override { m_session.setTrial(m_before); }
    int id() const override { return m_merge > 0 ? m_merge : -1; }
    bool mergeWith(const QUndoCommand* other) override {
        m_after = static_cast<const TrialEdit*>(other)->m_after;
        return true;
    }

private:
    Session& m_session;
    Trial m_before, m_after;
    int m_merge;
};

Session::Session(QObject* parent)
    : QObject(parent)
    , m_memory(std::make_shared<StarMemory>()) {
    m_delay.setSingleShot(true);
    m_delay.setInterval(300);
    connect(&m_delay, &QTimer::timeout, this, [this] { measureNow(); });
    m_watch.setInterval(1000);
    connect(&m_watch, &QTimer::timeout, this, &Session::lookAround);
    m_saveDelay.setSingleShot(true);
    m_saveDelay.setInterval(2000);
    connect(&m_saveDelay, &QTimer::timeout, this, &Session::saveAgain);
    m_changedDelay.setSingleShot(true);
    m_changedDelay.setInterval(700); // a file that is being written changes many times
    connect(&m_changedDelay, &QTimer::timeout, this, &Session::filesChanged);
    connect(&m_files, &QFileSystemWatcher::fileChanged, this, [this](const QString& file) {
        m_changedFiles << file;
        m_changedDelay.start();
    });
    connect(&m_jobs, &JobService::failed, this, &Session::failed);
    connect(&m_intake, &JobService::failed, this, &Session::failed);
    connect(&m_disk, &JobService::failed, this, &Session::failed);
}

Status Session::openCampaign(const QString& path, bool mustExist) {
    if (mustExist && !QFileInfo::exists(path))
        return Error{tr("%1 is not there; open another campaign, or make a new one with File > New campaign.")
                         .arg(QString::fromStdString(shown(toPath(path))))
                         .toStdString()};
    if (m_opening) return Error{tr("Another campaign is being opened; wait for it.").toStdString()};
    const QScopedValueRollback opening(m_opening, true);
    const Status whole = awaited([path] { return Campaign::lookThrough(path); });
    // Before the new one is opened: a campaign opened anew must not find its own lock.
    if (m_campaign && QFileInfo(path).absoluteFilePath() == m_campaign->path()) m_campaign.reset();
    auto opened = whole ? Campaign::open(path, true) : Result<std::unique_ptr<Campaign>>(whole.error());
    if (!opened) {
        if (!m_campaign) {
            forget();
            emit campaignChanged();
            showAny();
        }
        return opened.error();
    }
    m_campaign = std::move(*opened);
    m_onDisk = 0;
    m_unsaved = {};
    m_removed.reset();
    m_notSaved.clear();
    m_saveDelay.stop();
    forget();
    loadShelf();
    m_watch.start();
    if (canEdit())
        m_disk.run("copy " + path, {}, [path = m_campaign->path()](const Job&) -> JobService::Finish {
            (void)Campaign::keepGoodCopy(path); // only a help: the campaign itself is whole
            return {};
        });
    emit campaignChanged();
    showAny();
    return Done{};
}

/// A campaign that has kept none yet owns what its trials describe; the later ones know better.
void Session::loadShelf() {
    m_shelf.clear();
    const auto json = parseJson(kept("filters").toStdString(), "the campaign");
    if (auto read = json ? shelfFromJson(*json, "the campaign") : Result<FilterShelf>(Error{""})) {
        m_shelf = std::move(*read);
        return;
    }
    for (const Campaign::Entry& e : trials())
        if (const auto trial = stored(e.id)) keepOnShelf(m_shelf, *trial);
}

Result<FilterShelf> Session::shelfOf(const QString& path) {
    const auto other = Campaign::openToRead(path);
    if (!other) return other.error();
    const auto trials = (*other)->trials();
    if (!trials) return trials.error();
    FilterShelf out, kept;
    for (const Campaign::Entry& e : *trials)
        if (const auto trial = (*other)->trial(e.id)) keepOnShelf(out, *trial);
    if (const auto json = parseJson((*other)->setting("filters").toStdString(), path.toStdString()))
        if (auto read = shelfFromJson(*json, path.toStdString())) kept = std::move(*read);
    Trial latest; // what is kept is the latest word
    latest.filters = std::move(kept);
    keepOnShelf(out, latest);
    return out;
}

void Session::setShelf(const FilterShelf& shelf) {
    if (shelf == m_shelf || !canEdit()) return;
    m_shelf = shelf;
    keep("filters", QString::fromStdString(jsonText(shelfToJson(shelf))));
}

/// Lets go of the trial in hand.
void Session::forget() {
    m_jobs.cancel();
    m_intake.cancel();
    m_undo.clear();
    m_trialId = 0;
    m_trial = {};
    m_results.reset();
    m_whyNotMeasured.clear();
    m_pictures.clear();
    m_whyNoPicture.clear();
}

/// The trial last shown, else the first that can be shown.
void Session::showAny() {
    emit trialListChanged();
    auto list = trials();
    const qint64 last = m_campaign ? m_campaign->setting("shown").toLongLong() : 0;
    std::stable_partition(list.begin(), list.end(), [&](const Campaign::Entry& e) { return e.id == last; });
    for (const Campaign::Entry& e : list) {
        showTrial(e.id);
        if (m_trialId != 0) return;
    }
    emit trialChanged();
    emit resultsChanged();
    emit picturesChanged();
}

Status Session::saveCampaignAs(const QString& path) {
    if (!m_campaign) return Error{tr("No campaign is open.").toStdString()};
    if (QFileInfo(path).absoluteFilePath() == m_campaign->path()) { // every edit is saved there already, or cannot be
        saveAgain();
        return m_notSaved.isEmpty() ? Status(Done{}) : Status(Error{m_notSaved.toStdString()});
    }
    if (const Status copied = m_campaign->copyTo(path, m_unsaved); !copied) return copied;
    return openCampaign(path);
}

std::vector<Campaign::Entry> Session::trials() {
    if (!m_campaign) return {};
    const auto all = m_campaign->trials();
    if (all) return *all;
    emit failed(QString::fromStdString(all.error().message));
    return {};
}

void Session::keep(const QString& key, const QString& value) {
    if (!m_campaign || kept(key) == value) return;
    m_unsaved.settings[key] = value;
    saveAgain();
}

QString Session::kept(const QString& key) const {
    const auto it = m_unsaved.settings.find(key);
    return it != m_unsaved.settings.end() ? it->second : m_campaign ? m_campaign->setting(key) : QString();
}

void Session::saveAgain() {
    if (!m_campaign) return;
    std::optional<Error> failure;
    const auto saved = [&](const Status& status) {
        if (!status) failure = status.error();
        return status.ok();
    };
    std::erase_if(m_unsaved.trials, [&](const auto& t) { return saved(m_campaign->saveTrial(t.first, t.second)); });
    std::erase_if(m_unsaved.settings, [&](const auto& s) { return saved(m_campaign->setSetting(s.first, s.second)); });
    const QString before = m_notSaved;
    m_notSaved = failure ? QString::fromStdString(failure->message) : QString();
    if (failure && !m_campaign->isReadOnly())
        m_saveDelay.start();
    else
        m_saveDelay.stop();
    if (before != m_notSaved) emit savingChanged();
}

Status Session::mayWrite(const QString& path) const {
    auto inputs = filesOf(m_trial, m_folder);
    if (m_campaign)
        for (const char* ending : {"", "-wal", "-shm", ".last-good"}) inputs.push_back(toPath(m_campaign->path() + ending));
    return outputsAreSafe({toPath(path)}, inputs);
}

Status Session::write(const QString& path, std::string_view bytes) const {
    if (Status safe = mayWrite(path); !safe) return safe;
    return writeFile(toPath(path), bytes);
}

void Session::takeOver() {
    if (!m_campaign) return;
    if (const Status taken = m_campaign->takeOver(); !taken) {
        emit failed(QString::fromStdString(taken.error().message));
        return;
    }
    // Whatever was shown here may be older than what the other window saved.
    const qint64 shown = m_trialId;
    forget();
    emit campaignChanged();
    emit trialListChanged();
    showTrial(shown);
    if (m_trialId == 0) showAny();
    emit savingChanged();
}

/// Saved edits outlast the program at once; that they outlast a power cut costs a wait for the disk, which nobody has to feel.
void Session::bringToDisk() {
    if (!canEdit() || m_campaign->changes() == m_onDisk) return;
    m_onDisk = m_campaign->changes();
    m_disk.run("disk", {}, [this, path = m_campaign->path()](const Job&) -> JobService::Finish {
        const Status done = Campaign::toDisk(path);
        if (done) return [this] { m_diskTrouble.clear(); };
        return [this, why = QString::fromStdString(done.error().message)] {
            m_onDisk = 0; // again with the next look
            if (std::exchange(m_diskTrouble, why) != why) emit failed(why);
        };
    });
}

void Session::lookAround() {
    if (!m_campaign) return;
    bringToDisk();
    const bool could = canEdit();
    const bool changed = m_campaign->lookAround().changed, lost = could && !canEdit();
    if (lost) {
        m_undo.clear(); // an undo would be an edit
        emit savingChanged();
    }
    if (!changed && !lost) return;
    emit trialListChanged();
    const auto trial = stored(m_trialId);
    if (!trial || *trial == m_trial) return;
    const qint64 shown = m_trialId;
    forget();
    showTrial(shown);
}

Result<Trial> Session::stored(qint64 id) const {
    const auto it = m_unsaved.trials.find(id);
    return it != m_unsaved.trials.end() ? Result<Trial>(it->second) : m_campaign->trial(id);
}

Rig Session::rig() const {
    const TrialResults* known = results();
    const RunConditions* c = known ? known->conditionsOf(known->baseline) : nullptr;
    return c ? completed(m_trial.rig, c->facts) : m_trial.rig;
}

void Session::showTrial(qint64 id) {
    if (!m_campaign || id == m_trialId) return;
    auto trial = stored(id);
    if (!trial) {
        emit failed(QString::fromStdString(trial.error().message));
        return;
    }
    m_jobs.cancel();
    m_undo.clear();
    m_trialId = id;
    m_trial = std::move(*trial);
    fillFromShelf(m_trial, m_shelf); // saved with the next edit
    m_results.reset();
    m_current = false;
    m_frame = {};
    m_pictures.clear();
    if (canEdit()) (void)m_campaign->setSetting("shown", QString::number(id));
    emit trialChanged();
    emit resultsChanged();
    emit picturesChanged();
    loadPictures();
    measureNow();
}

Status Session::addTrial(const Trial& trial) {
    if (!m_campaign) return Error{tr("No campaign is open.").toStdString()};
    const auto id = m_campaign->addTrial(trial);
    if (!id) return id.error();
    FilterShelf shelf = m_shelf;
    keepOnShelf(shelf, trial);
    setShelf(shelf);
    emit trialListChanged();
    showTrial(*id);
    return Done{};
}

void Session::removeTrial() {
    if (!m_campaign || m_trialId == 0) return;
    if (const Status removed = m_campaign->removeTrial(m_trialId); !removed) {
        emit failed(QString::fromStdString(removed.error().message));
        return;
    }
    m_unsaved.trials.erase(m_trialId);
    m_removed = m_trial;
    forget();
    showAny();
}

void Session::restoreTrial() {
    if (!m_removed) return;
    const Trial trial = *m_removed;
    m_removed.reset();
    if (const Status added = addTrial(trial); !added) {
        m_removed = trial;
        emit failed(QString::fromStdString(added.error().message));
    }
}

void Session::edit(const QString& what, const Trial& changed, int merge) {
    if (m_trialId == 0 || changed == m_trial) return;
    if (!canEdit()) {
        emit trialChanged(); // whoever showed the edit shows the trial again
        emit failed(m_campaign->whyReadOnly());
        return;
    }
    m_undo.push(new TrialEdit(*this, what, m_trial, changed, merge));
}

void Session::setTrial(const Trial& trial) {
    const bool titled = trial.title != m_trial.title, alike = measuredAlike(trial, m_trial);
    m_trial = trial;
    m_unsaved.trials[m_trialId] = trial;
    FilterShelf shelf = m_shelf;
    keepOnShelf(shelf, trial);
    setShelf(shelf);
    saveAgain();
    if (!alike) m_current = false;
    if (titled) emit trialListChanged();
    emit trialChanged();
    emit resultsChanged();
    if (alike) return; // what is measured, or being measured, still holds
    loadPictures();
    measureSoon();
}

void Session::measureSoon() {
    m_jobs.cancel("measure");
    m_delay.start();
}

void Session::measureNow(bool anew) {
    m_delay.stop();
    if (m_trialId == 0 || m_trial.runs.size() < 1) return;
    const Trial trial = m_trial;
    m_whyNotMeasured.clear();
    watchFiles();
    m_jobs.run("measure", tr("Measuring"), [this, trial, anew, memory = m_memory](const Job& job) -> JobService::Finish {
        const QString name = ResultsShelf::nameOf(trial);
        if (auto kept = anew ? nullptr : ResultsShelf::find(name)) return [this, trial, kept] { take(trial, kept); };
        auto results = measureTrial(trial, {}, job, memory.get());
        if (!results) {
            if (results.error().message == kCancelled) return {};
            return [this, sentence = QString::fromStdString(results.error().message)] {
                m_whyNotMeasured = sentence;
                emit resultsChanged();
                emit failed(sentence);
            };
        }
        if (ResultsShelf::nameOf(trial) == name) ResultsShelf::keep(name, *results); // no file changed under the measurement
        return [this, trial, shared = std::make_shared<const TrialResults>(std::move(*results))] { take(trial, shared); };
    });
}

void Session::take(const Trial& measured, const std::shared_ptr<const TrialResults>& results) {
    if (!measuredAlike(measured, m_trial)) return;
    m_results = results;
    m_current = true;
    if (const RunConditions* c = results->conditionsOf(results->baseline)) m_frame = QSize(c->width, c->height);
    emit resultsChanged();
    if (m_trial.regions.empty()) propose();
}

void Session::stop() {
    m_jobs.cancel();
    if (m_current) return;
    m_whyNotMeasured = tr("it was stopped. Edit > Measure again goes on.");
    emit resultsChanged();
}

void Session::propose() {
    Trial changed = m_trial;
    changed.regions = proposeRegions(*m_results);
    if (changed.regions.empty()) return;
    if (canEdit()) {
        edit(tr("Propose regions"), changed);
    } else { // shown here only
        m_trial = changed;
        emit trialChanged();
    }
    m_delay.stop();
    measureNow();
}

std::shared_ptr<const PicturePyramid> Session::picture(const QString& run) const {
    const auto it = m_pictures.find(run);
    return it == m_pictures.end() ? nullptr : it->second.second;
}

QString Session::whyNoPicture(const QString& run) const {
    const auto it = m_whyNoPicture.find(run);
    return it == m_whyNoPicture.end() ? QString() : it->second;
}

Alignment Session::alignmentOf(const QString& run) const {
    if (m_results)
        for (const RunAlignment& a : m_results->alignment)
            if (a.run == run.toStdString()) return a.alignment;
    return {};
}

} // namespace caelumen
