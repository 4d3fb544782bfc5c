#include "app/subs/subs_model.h"

#include "app/subs/subs_edit.h"
#include "app/widgets/paths.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/plan/targets.h"

#include <QDir>
#include <QFileInfo>
#include <QSettings>

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace caelumen {
namespace fs = std::filesystem;

SubsModel::SubsModel(Session& session, QObject* parent)
    : QObject(parent)
    , m_session(session) {
    connect(&m_jobs, &JobService::failed, this, &SubsModel::problem);
    connect(&m_watch, &FolderWatch::problem, this, &SubsModel::problem);
    connect(&m_watch, &FolderWatch::landed, this, &SubsModel::takeLanded);
    connect(&m_pictures, &SubPictures::problem, this, &SubsModel::problem);
    connect(&m_pictures, &SubPictures::ready, this, [this](const std::string& file) {
        const auto& subs = run().subs;
        for (std::size_t i = 0; i < subs.size(); ++i)
            if (subs[i].figures->file == file) return emit pictureReady(static_cast<int>(i));
    });
    m_tellLater.setInterval(200);
    m_tellLater.setSingleShot(true);
    connect(&m_tellLater, &QTimer::timeout, this, &SubsModel::runChanged);
    connect(&m_session, &Session::campaignChanged, this, &SubsModel::load);
}

void SubsModel::load() {
    m_jobs.cancel();
    m_watch.watch({}, {});
    m_taken = std::make_shared<const Taken>(Taken{{}, m_taken->library});
    m_frames.clear(), m_groups.clear(), m_keys.clear(), m_runs.clear(), m_landed.clear();
    m_current = -1;
    m_currentKey.clear();
    m_decisions = {};
    if (m_session.campaign()) {
        if (const auto kept = parseJson(m_session.kept("subs").toStdString(), "")) m_decisions = decisionsFromJson(*kept);
    }
    takeIn();
    emit groupsChanged();
    emit runChanged();
    emit watchChanged();
}

void SubsModel::decide(const QString& what, const SubsDecisions& changed, int merge) {
    if (changed == m_decisions) return;
    if (m_session.campaign() && !m_session.canEdit()) return emit problem(m_session.campaign()->whyReadOnly());
    m_session.undoStack().push(new SubsEdit(*this, what, m_decisions, changed, merge));
}

void SubsModel::setDecisions(const SubsDecisions& decisions) {
    const SubsDecisions before = m_decisions;
    m_decisions = decisions;
    m_session.keep("subs", QString::fromStdString(jsonText(decisionsToJson(decisions))));
    if (before.sources != decisions.sources) return takeIn();
    if (before.kinds != decisions.kinds || before.told != decisions.told) return takeIn();
    if (before.flats != decisions.flats) return measure();
    judgeNow();
}

void SubsModel::takeIn() {
    const QStringList sources = m_decisions.sources;
    if (sources.isEmpty()) {
        m_taken = std::make_shared<const Taken>(Taken{{}, m_taken->library});
        regroup();
        return;
    }
    m_jobs.run("intake", tr("Reading headers"),
               [this, sources, before = m_taken, stale = m_stale, library = darkLibrary()](const Job& job) -> JobService::Finish {
                   // What is known of a file already is not read again.
                   std::unordered_map<std::string, const IntakeFrame*> known;
                   for (const auto* list : {&before->frames, &before->library})
                       for (const IntakeFrame& f : *list)
                           if (std::string name = nameText(f.path); !stale.count(name)) known[std::move(name)] = &f;
                   const auto read = [&](const std::vector<fs::path>& files) {
                       std::vector<fs::path> fresh;
                       for (const fs::path& p : files)
                           if (!known.count(nameText(p))) fresh.push_back(p);
                       const std::vector<IntakeFrame> taken = takeInAll(fresh, job);
                       std::unordered_map<std::string, const IntakeFrame*> all = known;
                       for (const IntakeFrame& f : taken) all[nameText(f.path)] = &f;
                       std::vector<IntakeFrame> out;
                       for (const fs::path& p : files)
                           if (const auto it = all.find(nameText(p)); it != all.end()) out.push_back(*it->second);
                       return out;
                   };
                   std::vector<fs::path> files;
                   std::set<std::string> once;
                   for (const QString& s : sources)
                       for (fs::path& p : framesBeneath(toPath(s)))
                           if (once.insert(nameText(p)).second) files.push_back(std::move(p));
                   auto taken = std::make_shared<Taken>();
                   taken->frames = read(files);
                   if (!library.isEmpty())
                       for (IntakeFrame& f : read(framesBeneath(toPath(library))))
                           if ((f.kind == FrameKind::Dark || f.kind == FrameKind::Bias) && !once.count(nameText(f.path)))
                               taken->library.push_back(std::move(f));
                   if (job.cancelled()) return {};
                   return [this, taken = std::move(taken), stale] {
                       m_taken = taken;
                       for (const std::string& name : stale) m_stale.erase(name);
                       keepDarkLengths();
                       regroup();
                   };
               });
}

void SubsModel::keepDarkLengths() const {
    std::set<double> lengths;
    for (const IntakeFrame& f : m_taken->library)
        if (f.kind == FrameKind::Dark && f.problem.empty() && f.exposure_s) lengths.insert(*f.exposure_s);
    QStringList text;
    for (const double s : lengths) text << QString::number(s);
    QSettings().setValue("subs/dark-lengths", text.join(' '));
}

QString SubsModel::newKey(const FrameGroup& g) {
    return QString::fromStdString(g.title()) + QString("|%1x%2|%3").arg(g.width).arg(g.height).arg(static_cast<int>(g.kind));
}

void SubsModel::regroup() {
    m_frames = m_taken->frames;
    for (IntakeFrame& f : m_frames) {
        if (const auto it = m_decisions.kinds.find(nameText(f.path)); it != m_decisions.kinds.end()) f.kind = it->second, f.guessed = false;
        const auto told = m_decisions.told.find(nameText(f.path));
        if (told == m_decisions.told.end()) continue;
        const ToldFacts& t = told->second;
        if (!t.filter.empty()) f.filter = t.filter;
        if (!t.target.empty()) f.target = t.target;
        if (!t.bayer.empty()) f.mosaic = t.bayer == "none" ? "" : t.bayer;
        if (t.exposure_s) f.exposure_s = t.exposure_s;
        if (t.longitude_deg) f.longitude_deg = t.longitude_deg, f.night = f.start.empty() ? "" : nightOf(f.start, t.longitude_deg);
    }
    m_groups = groupFrames(m_frames);
    m_keys.clear();
    for (const FrameGroup& g : m_groups) m_keys.push_back(newKey(g));
    m_current = -1;
    for (std::size_t i = 0; i < m_groups.size(); ++i) {
        if (m_groups[i].kind != FrameKind::Light) continue;
        if (m_current < 0 || m_keys[i] == m_currentKey) m_current = static_cast<int>(i);
    }
    m_currentKey = m_current >= 0 ? m_keys[static_cast<std::size_t>(m_current)] : QString();
    std::set<QString> there;
    for (std::size_t i = 0; i < m_groups.size(); ++i)
        if (m_groups[i].kind == FrameKind::Light) there.insert(m_keys[i]);
    std::erase_if(m_runs, [&](const auto& run) { return !there.count(run.first); });
    measure();
    emit groupsChanged();
}

void SubsModel::choose(int group) {
    if (group < 0 || group >= static_cast<int>(m_groups.size()) || m_groups[static_cast<std::size_t>(group)].kind != FrameKind::Light || group == m_current)
        return;
    m_current = group;
    m_currentKey = m_keys[static_cast<std::size_t>(group)];
    m_pictures.clear();
    emit groupsChanged();
    emit runChanged();
    measureNext();
}

SubsRecipe SubsModel::recipe(int group) const {
    SubsRecipe out = recipeFor(m_groups[static_cast<std::size_t>(group)], m_frames, m_taken->library);
    const SubsRecipe decided = asRecipe(m_decisions);
    out.cull = decided.cull, out.combine = decided.combine, out.mosaic = decided.mosaic, out.flatSchool = decided.flatSchool, out.halves = decided.halves,
    out.maps = decided.maps;
    if (trialFits()) { // what it knows of telescope and place; the header tells the rest
        const Trial& t = m_session.trial();
        out.rig = t.rig;
        out.site = t.site;
        if (t.target.ra_deg) out.target = t.target;
        out.rig.pedestal_adu.reset(); // of stacks, not of subs
    }
    const ToldFacts t = told(group);
    out.run.bayer = t.bayer;
    if (t.gain_e_per_adu) out.run.rig.gain_e_per_adu = t.gain_e_per_adu;
    if (t.latitude_deg && t.longitude_deg) out.site.latitude_deg = t.latitude_deg, out.site.longitude_deg = t.longitude_deg;
    if (!t.target.empty() && out.target.name == t.target && !out.target.ra_deg) {
        const auto found = findTargets(deepSkyCatalogue(), t.target);
        if (found.size() == 1) out.target.ra_deg = found.front()->ra_deg, out.target.dec_deg = found.front()->dec_deg;
    }
    if (const SubsRun* run = runOf(group)) out.nightScale = run->scale;
    return out;
}

bool SubsModel::trialFits() const {
    if (!m_session.hasTrial() || m_current < 0) return false;
    const std::string &mine = m_groups[static_cast<std::size_t>(m_current)].target, &its = m_session.trial().target.name;
    return mine.empty() || its.empty() || QString::fromStdString(mine).compare(QString::fromStdString(its), Qt::CaseInsensitive) == 0;
}

CullOptions SubsModel::cull() const {
    return asRecipe(m_decisions).cull;
}

void SubsModel::addSources(const QStringList& paths) {
    SubsDecisions d = m_decisions;
    for (const QString& p : paths)
        if (!d.sources.contains(p)) d.sources << p;
    if (d.sources == m_decisions.sources) return takeIn(); // look again
    decide(tr("Take in %n place(s)", "", static_cast<int>(paths.size())), d);
}

void SubsModel::removeGroup(int group) {
    if (group < 0 || group >= static_cast<int>(m_groups.size())) return;
    // Sources become the files that stay.
    const FrameGroup& g = m_groups[static_cast<std::size_t>(group)];
    std::set<std::size_t> gone(g.frames.begin(), g.frames.end());
    SubsDecisions d = m_decisions;
    d.sources.clear();
    for (std::size_t i = 0; i < m_frames.size(); ++i)
        if (!gone.count(i)) d.sources << QString::fromStdString(nameText(m_frames[i].path));
    decide(tr("Take out %1").arg(QString::fromStdString(g.title())), d);
}

void SubsModel::tellKind(int group, FrameKind kind) {
    SubsDecisions d = m_decisions;
    for (const std::size_t i : m_groups[static_cast<std::size_t>(group)].frames) d.kinds[nameText(m_frames[i].path)] = kind;
    decide(tr("They are %1s").arg(frameKindName(kind)), d);
}

void SubsModel::tell(int group, const ToldFacts& facts) {
    SubsDecisions d = m_decisions;
    for (const std::size_t i : m_groups[static_cast<std::size_t>(group)].frames) {
        if (facts == ToldFacts{})
            d.told.erase(nameText(m_frames[i].path));
        else
            d.told[nameText(m_frames[i].path)] = facts;
    }
    decide(tr("Facts of subs"), d);
}

ToldFacts SubsModel::told(int group) const {
    const auto it = m_decisions.told.find(nameText(m_frames[m_groups[static_cast<std::size_t>(group)].frames.front()].path));
    return it == m_decisions.told.end() ? ToldFacts{} : it->second;
}

SubsModel::Word SubsModel::wordOn(std::size_t sub) const {
    const std::string& file = run().subs[sub].figures->file;
    const auto in = [&](const std::vector<std::string>& list) { return std::find(list.begin(), list.end(), file) != list.end(); };
    return in(m_decisions.reject) ? Word::Reject : in(m_decisions.keep) ? Word::Keep : Word::Judged;
}

void SubsModel::overrule(std::size_t sub, Word word) {
    if (sub >= run().subs.size()) return;
    const std::string file = run().subs[sub].figures->file;
    SubsDecisions d = m_decisions;
    std::erase(d.keep, file), std::erase(d.reject, file);
    if (word == Word::Keep) d.keep.push_back(file);
    if (word == Word::Reject) d.reject.push_back(file);
    decide(word == Word::Keep ? tr("Keep a sub") : word == Word::Reject ? tr("Leave out a sub") : tr("As judged"), d);
}

void SubsModel::watch(const QString& folder) {
    std::map<std::string, std::uintmax_t> known;
    std::error_code failed;
    for (const IntakeFrame& f : m_taken->frames) known[nameText(f.path)] = fs::file_size(f.path, failed);
    m_watch.watch(folder, std::move(known));
    if (!folder.isEmpty()) addSources({folder});
    emit watchChanged();
}

void SubsModel::takeLanded(const std::set<std::string>& files) {
    for (auto& [key, run] : m_runs)
        for (JudgedSub& s : run.run.subs)
            if (files.count(s.figures->file) > 0) s = notMeasured(s.figures->file, s.figures->exposure_s), run.judged = false;
    m_landed.insert(files.begin(), files.end());
    m_stale.insert(files.begin(), files.end());
    takeIn();
}

void SubsModel::stack(const std::vector<std::pair<int, QString>>& wanted) {
    std::vector<std::pair<SubsRecipe, QString>> work;
    for (const auto& [group, file] : wanted) work.emplace_back(recipe(group), file);
    m_jobs.run("stack", tr("Stacking"), [this, work](const Job& job) -> JobService::Finish {
        QStringList done, notes;
        for (std::size_t i = 0; i < work.size(); ++i) {
            Job part = job;
            part.progress = [&](double p, const std::string& what) { job.report((static_cast<double>(i) + p) / static_cast<double>(work.size()), what); };
            const auto prepared = prepareRun(work[i].first, toPath(work[i].second), part);
            if (!prepared) {
                if (prepared.error().message == kCancelled) return {};
                return [this, sentence = QString::fromStdString(prepared.error().message)] { emit problem(sentence); };
            }
            done << work[i].second;
            for (const std::string& w : prepared->warnings) notes << QString::fromStdString(w);
        }
        notes.removeDuplicates();
        return [this, done, notes] { emit stacked(done, notes); };
    });
}

QString SubsModel::darkLibrary() {
    return QSettings().value("subs/darks").toString();
}

void SubsModel::setDarkLibrary(const QString& folder) {
    QSettings().setValue("subs/darks", folder);
    m_taken = std::make_shared<const Taken>(Taken{m_taken->frames, {}});
    takeIn();
}

QString SubsModel::unusable() const {
    QStringList out;
    for (const IntakeFrame& f : m_frames)
        if (!f.problem.empty()) out << QString::fromStdString(f.problem);
    return out.join("\n");
}

} // namespace caelumen
