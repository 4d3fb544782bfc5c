#include "app/log/log_model.h"

#include "app/results_shelf.h"
#include "app/session.h"
#include "app/widgets/paths.h"
#include "core/compare/propose.h"
#include "core/compare/same_field.h"
#include "core/prepare/intake.h"

#include <QFileInfo>

#include <algorithm>
#include <numeric>
#include <set>
#include <unordered_set>

namespace caelumen {

namespace {

/// A campaign that is not where it was and has the same runs as this one was moved: what a person wrote of its runs goes along.
void followMoves(LogStore& store, const std::vector<LogEntry>& now, const std::string& path) {
    const auto all = store.entries();
    if (!all) return;
    std::map<std::string, std::vector<const LogEntry*>> others;
    for (const LogEntry& e : *all) {
        if (e.campaign == path) return; // known here already
        if (!e.campaign.empty()) others[e.campaign].push_back(&e);
    }
    for (const auto& [campaign, runs] : others)
        if (!QFileInfo::exists(QString::fromStdString(campaign)) && isOneCampaign(runs, now)) (void)store.rename(campaign, path);
}

} // namespace

LogModel::LogModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session) {
    m_delay.setSingleShot(true);
    m_delay.setInterval(1500); // not at each step of a slider
    connect(&m_delay, &QTimer::timeout, this, &LogModel::noteTrial);
    connect(&m_session, &Session::campaignChanged, this, &LogModel::campaignChanged);
    connect(&m_session, &Session::trialListChanged, this, &LogModel::campaignChanged);
    connect(&m_session, &Session::trialChanged, this, [this] { m_delay.start(); });
    connect(&m_session, &Session::resultsChanged, this, [this] {
        if (m_session.resultsAreCurrent()) m_delay.start();
    });
    for (JobService* jobs : {&m_jobs, &m_notes}) connect(jobs, &JobService::failed, this, &LogModel::failed);
}

LogStore* LogModel::store() {
    if (!m_store && !m_storeFailed) {
        auto opened = LogStore::open(LogStore::defaultPath());
        m_storeFailed = !opened.ok();
        if (opened)
            m_store = std::move(*opened), m_version = m_store->version();
        else
            emit failed(QString::fromStdString(opened.error().message));
    }
    return m_store.get();
}

bool LogModel::hold(const Status& status) {
    if (!status) emit failed(QString::fromStdString(status.error().message));
    return status.ok();
}

void LogModel::reload() {
    m_jobs.run("log", tr("Reading the log"), [this](const Job&) -> JobService::Finish {
        const auto store = LogStore::open(LogStore::defaultPath());
        if (!store) return [this, why = QString::fromStdString(store.error().message)] { emit failed(why); };
        auto entries = (*store)->entries();
        if (!entries) return [this, why = QString::fromStdString(entries.error().message)] { emit failed(why); };
        return [this, all = std::move(*entries)]() mutable {
            m_all = std::move(all);
            filter();
        };
    });
    readKept();
}

void LogModel::look() {
    if (store() && m_store->version() != m_version) {
        m_version = m_store->version();
        reload();
    }
}

void LogModel::readKept() {
    if (!store()) return;
    if (auto searches = m_store->searches()) m_searches = std::move(*searches);
    if (auto events = m_store->events()) m_events = std::move(*events);
    if (auto answers = m_store->answers()) m_answers = std::move(*answers);
    emit keptChanged();
}

void LogModel::campaignChanged() {
    const Campaign* campaign = m_session.campaign();
    if (!campaign) return;
    m_notes.run("campaign", tr("Writing the log"), [this, path = campaign->path()](const Job& job) -> JobService::Finish {
        const auto opened = Campaign::openToRead(path);
        const auto trials = opened ? (*opened)->trials() : Result<std::vector<Campaign::Entry>>(opened.error());
        if (!trials) return {}; // the window says why
        std::vector<LogEntry> entries;
        bool whole = true;
        for (const Campaign::Entry& t : *trials) {
            if (job.cancelled()) return {};
            const auto trial = (*opened)->trial(t.id);
            whole = whole && trial;
            if (!trial) continue;
            const auto results = ResultsShelf::find(ResultsShelf::nameOf(*trial));
            for (LogEntry& e : logEntries(*trial, results.get(), path.toStdString(), t.id)) entries.push_back(std::move(e));
        }
        const auto store = LogStore::open(LogStore::defaultPath());
        if (!store) return {};
        followMoves(**store, entries, path.toStdString());
        const Status done = (*store)->put(entries, whole ? path.toStdString() : std::string());
        return [this, why = done ? QString() : QString::fromStdString(done.error().message)] {
            if (!why.isEmpty()) emit failed(why);
            reload();
        };
    });
}

void LogModel::noteTrial() {
    if (!m_session.campaign() || !m_session.hasTrial()) return;
    const auto results = m_session.resultsAreCurrent() ? m_session.sharedResults() : nullptr;
    if (!results) return; // what is not measured anew keeps its figures until it is
    m_notes.run("trial", tr("Writing the log"),
                [this, path = m_session.campaign()->path().toStdString(), id = m_session.trialId(), trial = m_session.trial(),
                 results](const Job&) -> JobService::Finish {
                    const auto store = LogStore::open(LogStore::defaultPath());
                    if (!store || !(*store)->put(logEntries(trial, results.get(), path, id))) return {};
                    return [this] { reload(); };
                });
}

std::vector<const LogEntry*> LogModel::foundEntries() const {
    std::vector<const LogEntry*> out;
    for (const std::size_t i : m_found) out.push_back(&m_all[i]);
    return out;
}

std::vector<std::string> LogModel::photosOf(const LogEntry& entry) const {
    std::vector<std::string> out = entry.photos;
    for (const EquipmentEvent& e : m_events)
        if (!e.photo.empty() && e.name == (e.isRig ? entry.rig : entry.filter)) out.push_back(e.photo);
    return out;
}

const LogEntry* LogModel::entry(const std::string& uid) const {
    const auto it = std::find_if(m_all.begin(), m_all.end(), [&](const LogEntry& e) { return e.uid == uid; });
    return it == m_all.end() ? nullptr : &*it;
}

void LogModel::setQuery(const QString& query) {
    if (query == m_query) return;
    m_query = query;
    filter();
}

void LogModel::showSameTarget(const LogEntry& entry) {
    m_target = entry.target;
    filter();
}

void LogModel::showAllTargets() {
    m_target.reset();
    filter();
}

void LogModel::filter() {
    m_found.resize(m_all.size());
    std::iota(m_found.begin(), m_found.end(), std::size_t{0});
    const LogQuery query = parseLogQuery(m_query.toStdString());
    if (!query.empty() && store()) {
        const auto found = m_store->find(query);
        if (!found) emit failed(QString::fromStdString(found.error().message));
        if (found && *found) {
            const std::unordered_set<std::string> uids((*found)->begin(), (*found)->end());
            std::erase_if(m_found, [&](std::size_t i) { return !uids.count(m_all[i].uid); });
        }
    }
    if (m_target) std::erase_if(m_found, [&](std::size_t i) { return !sameTarget(m_all[i].target, *m_target); });
    emit changed();
}

void LogModel::saveSearch(const QString& name) {
    if (store() && hold(m_store->saveSearch(name.toStdString(), m_query.toStdString()))) readKept();
}

void LogModel::removeSearch(qint64 id) {
    if (store() && hold(m_store->removeSearch(id))) readKept();
}

void LogModel::saveEvent(const EquipmentEvent& event) {
    if (store() && hold(m_store->saveEvent(event))) readKept();
}

void LogModel::removeEvent(qint64 id) {
    if (store() && hold(m_store->removeEvent(id))) readKept();
}

void LogModel::addAnswer(const PracticeAnswer& answer) {
    if (store() && hold(m_store->addAnswer(answer))) readKept();
}

void LogModel::remark(const std::string& uid, const QString& tags, const QString& notes) {
    const auto it = std::find_if(m_all.begin(), m_all.end(), [&](const LogEntry& e) { return e.uid == uid; });
    if (it == m_all.end() || (it->tags == tags.toStdString() && it->notes == notes.toStdString())) return;
    if (!store() || !hold(m_store->remark(uid, tags.toStdString(), notes.toStdString()))) return;
    it->tags = tags.toStdString(), it->notes = notes.toStdString();
    emit changed();
}

void LogModel::remove(const std::vector<std::string>& uids) {
    if (store() && hold(m_store->remove(uids))) reload();
}

void LogModel::import(const QStringList& places) {
    m_jobs.run("import", tr("Reading headers of old stacks"), [this, places](const Job& job) -> JobService::Finish {
        std::vector<std::filesystem::path> files;
        for (const QString& p : places)
            for (auto& f : framesBeneath(toPath(p))) files.push_back(std::move(f));
        std::vector<LogEntry> entries;
        int subs = 0, bad = 0;
        for (std::size_t i = 0; i < files.size(); ++i) {
            if (job.cancelled()) return {};
            job.report(static_cast<double>(i) / static_cast<double>(files.size()), "Headers");
            const auto frame = FrameFile::open(files[i]);
            if (!frame) {
                ++bad;
                continue;
            }
            // One exposure is no stack, nor is a frame for calibration; halves stand for their stack.
            const IntakeFrame kind = takeIn(files[i]);
            const std::string name = nameText(files[i].stem());
            const bool half = name.ends_with("-odd") || name.ends_with("-even");
            const bool raw = frame->info().mosaic || (frame->info().integer && frame->info().facts.frame_kind); // as a camera writes it
            if (kind.kind != FrameKind::Light || half || (raw && frame->info().facts.sub_count.value_or(1) <= 1)) {
                ++subs;
                continue;
            }
            entries.push_back(logEntryOf(frame->info()));
        }
        const auto store = LogStore::open(LogStore::defaultPath());
        const Status done = store ? (*store)->put(entries) : Status(store.error());
        return [this, count = static_cast<int>(entries.size()), subs, bad, why = done ? QString() : QString::fromStdString(done.error().message)] {
            if (!why.isEmpty()) return emit failed(why);
            QString text = count == 1 ? tr("One stack is in the log.") : tr("%1 stacks are in the log.").arg(count);
            if (subs > 0) text += " " + tr("%1 single subs, halves or calibration frames were passed over.").arg(subs);
            if (bad > 0) text += " " + tr("%1 files could not be read.").arg(bad);
            emit told(text);
            reload();
        };
    });
}

void LogModel::trialsOf(const std::vector<LogEntry>& entries, const std::function<void(std::vector<Trial>)>& then) {
    m_jobs.run("trials", tr("Reading trials"), [this, entries, then](const Job&) -> JobService::Finish {
        std::vector<Trial> out;
        for (const LogEntry& e : entries) {
            if (e.campaign.empty()) {
                Trial t;
                std::vector<std::string> bad;
                (void)addRuns(t, {pathOf(e.stack)}, &bad);
                if (t.runs.empty())
                    return [this, why = bad.empty() ? tr("%1 cannot be read.").arg(QString::fromStdString(e.stack)) : QString::fromStdString(bad.front())] {
                        emit failed(why);
                    };
                out.push_back(std::move(t));
                continue;
            }
            const QString path = QString::fromStdString(e.campaign);
            if (!QFileInfo::exists(path))
                return [this, path] { emit failed(tr("%1 is not there any more; its runs stay in the log, but cannot be opened.").arg(path)); };
            const auto campaign = Campaign::openToRead(path);
            auto trial = campaign ? (*campaign)->trial(e.trialId) : Result<Trial>(campaign.error());
            if (!trial) return [this, why = QString::fromStdString(trial.error().message)] { emit failed(why); };
            if (!trial->run(e.run)) return [this, e] { emit failed(tr("The trial has no run %1 any more.").arg(QString::fromStdString(e.run))); };
            out.push_back(std::move(*trial));
        }
        return [then, trials = std::move(out)] { then(trials); };
    });
}

} // namespace caelumen
