#include "app/subs/subs_model.h"
#include "app/widgets/paths.h"
#include "core/base/json.h"
#include "core/base/text.h"

#include <QCryptographicHash>
#include <QDateTime>
#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>

#include <algorithm>

// How runs are measured and judged, one after another, away from the interface thread.

namespace caelumen {
namespace fs = std::filesystem;

namespace {

QString notebookFor(const QString& key) {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + "/subs";
    QDir().mkpath(folder);
    static const bool swept = [&] { // figures of subs that nobody has looked at for two months
        for (const QFileInfo& old : QDir(folder).entryInfoList({"*.work"}, QDir::Files))
            if (old.lastModified().daysTo(QDateTime::currentDateTime()) > 60) QFile::remove(old.filePath());
        return true;
    }();
    Q_UNUSED(swept);
    return folder + "/" + QString::fromLatin1(QCryptographicHash::hash(key.toUtf8(), QCryptographicHash::Sha1).toHex().left(20)) + ".work";
}

std::optional<MoonResponse> moonOf(const JudgedRun& run, std::optional<double> gain) {
    const auto response = moonResponse(run, run.subs[run.reference].figures->channel, gain);
    return response ? std::optional(*response) : std::nullopt;
}

bool holds(const JudgedRun& run, const std::vector<fs::path>& lights) {
    std::set<std::string> now;
    for (const fs::path& p : lights) now.insert(nameText(p));
    return run.subs.size() == now.size() && std::all_of(run.subs.begin(), run.subs.end(), [&](const JudgedSub& s) { return now.count(s.figures->file) > 0; });
}

/// The recipe's lights, with what is known of them already.
JudgedRun withLights(JudgedRun before, const SubsRecipe& recipe) {
    std::map<std::string, std::size_t> known;
    for (std::size_t i = 0; i < before.subs.size(); ++i) known[before.subs[i].figures->file] = i;
    const std::string reference = before.subs.empty() ? std::string() : before.subs[before.reference].figures->file;
    JudgedRun out;
    bool laid = false;
    for (const fs::path& p : recipe.lights) {
        const std::string file = nameText(p);
        if (file == reference) out.reference = out.subs.size(), laid = true;
        const auto it = known.find(file);
        out.subs.push_back(it != known.end() ? std::move(before.subs[it->second]) : notMeasured(file, recipe.run.sub_exposure_s));
    }
    if (!laid) // what they were laid on is gone
        for (JudgedSub& s : out.subs) s.alignment.reset(), s.starlight.reset(), s.compared = false;
    return out;
}

} // namespace

JudgedSub notMeasured(std::string file, std::optional<double> exposure_s) {
    SubFigures known;
    known.file = std::move(file), known.exposure_s = exposure_s;
    JudgedSub out;
    out.figures = std::move(known);
    return out;
}

const SubsRun* SubsModel::runOf(int group) const {
    if (group < 0 || group >= static_cast<int>(m_groups.size())) return nullptr;
    const auto it = m_runs.find(m_keys[static_cast<std::size_t>(group)]);
    return it == m_runs.end() ? nullptr : &it->second;
}

const SubsRun& SubsModel::here() const {
    static const SubsRun none;
    const SubsRun* run = runOf(m_current);
    return run ? *run : none;
}

SubsRun& SubsModel::runFor(std::size_t group) {
    SubsRun& out = m_runs[m_keys[group]];
    const SubsRecipe r = recipe(static_cast<int>(group));
    // Figures hold as long as the masters do.
    SubsRecipe masters = r;
    masters.lights = {r.lights.front()};
    masters.cull = {}, masters.combine = {}, masters.halves = masters.maps = false, masters.mosaic = MosaicMode::Half, masters.nightScale.reset();
    const QString of = QString::fromStdString(jsonText(subsRecipeToJson(masters)));
    if (of != out.of) {
        out = {};
        out.of = of;
        if (static_cast<int>(group) == m_current) m_pictures.clear();
    }
    if (out.judged && holds(out.run, r.lights)) return out;
    out.judged = out.hopeless = false;
    out.run = withLights(std::move(out.run), r);
    return out;
}

void SubsModel::measure() {
    for (std::size_t i = 0; i < m_groups.size(); ++i)
        if (m_groups[i].kind == FrameKind::Light) runFor(i);
    emit runChanged();
    measureNext();
}

void SubsModel::measureNext() {
    std::vector<std::size_t> order;
    if (m_current >= 0) order.push_back(static_cast<std::size_t>(m_current));
    for (std::size_t i = 0; i < m_groups.size(); ++i)
        if (m_groups[i].kind == FrameKind::Light) order.push_back(i);
    const auto next = std::find_if(order.begin(), order.end(), [&](std::size_t i) {
        const SubsRun* run = runOf(static_cast<int>(i));
        return run && !run->hopeless && (!run->judged || (static_cast<int>(i) == m_current && !run->measurer)); // pictures need its masters
    });
    if (next == order.end()) return m_jobs.cancel("measure");
    const QString key = m_keys[*next];
    m_jobs.run("measure", tr("Measuring subs"),
               [this, key, r = recipe(static_cast<int>(*next)), run = SubsRun(m_runs.at(key))](const Job& job) mutable -> JobService::Finish {
                   if (!run.measurer) {
                       auto made = SubMeasurer::make(r, job);
                       if (!made) {
                           if (made.error().message == kCancelled) return {};
                           return [this, key, sentence = QString::fromStdString(made.error().message)] {
                               if (const auto it = m_runs.find(key); it != m_runs.end()) it->second.hopeless = true;
                               emit problem(sentence);
                               measureNext();
                           };
                       }
                       run.measurer = std::make_shared<const SubMeasurer>(std::move(*made));
                   }
                   if (!run.notebook) run.notebook = notebookOf(r, *run.measurer, toPath(notebookFor(key + run.of)));
                   std::map<std::string, SharedFigures> figures;
                   for (const JudgedSub& s : run.run.subs)
                       if (s.figures->measured()) figures[s.figures->file] = s.figures;
                   std::vector<fs::path> fresh;
                   for (const fs::path& p : r.lights)
                       if (figures.count(nameText(p)) == 0) fresh.push_back(p);
                   auto measured = measureSubs(fresh, *run.measurer, *run.notebook, job, [this, key, of = run.of](const SharedFigures& f) {
                       QMetaObject::invokeMethod(
                           this, [this, key, of, f] { takeFigures(key, of, f); }, Qt::QueuedConnection);
                   });
                   if (!measured) return {};
                   std::optional<Result<JudgedRun>> judged;
                   if (!run.judged || !measured->empty()) {
                       for (SharedFigures& f : *measured) figures[f->file] = std::move(f);
                       std::vector<SharedFigures> all;
                       for (const fs::path& p : r.lights) all.push_back(std::move(figures[nameText(p)]));
                       judged = judgeRun(std::move(all), r.cull, r.reference, &run.run);
                   }
                   const auto moon = judged && judged->ok() ? moonOf(**judged, run.measurer->gain()) : std::nullopt;
                   return [this, key, of = run.of, measurer = run.measurer, notebook = run.notebook, judged = std::move(judged), moon,
                           cullThen = r.cull]() mutable {
                       const auto it = m_runs.find(key);
                       if (it == m_runs.end() || it->second.of != of) return measureNext();
                       for (auto& [other, kept] : m_runs)
                           if (other != key && other != m_currentKey) kept.measurer.reset();
                       it->second.measurer = measurer;
                       it->second.notebook = notebook;
                       it->second.gain = measurer->gain();
                       if (judged && judged->ok()) {
                           it->second.run = std::move(**judged);
                           it->second.moon = moon;
                           if (cullThen != cull()) judgeAfresh(it->second);
                           takeJudged(key);
                       } else if (judged) {
                           it->second.hopeless = true;
                           emit problem(QString::fromStdString(judged->error().message));
                       }
                       emit groupsChanged();
                       emit runChanged();
                       measureNext();
                   };
               });
}

void SubsModel::takeFigures(const QString& key, const QString& of, const SharedFigures& figures) {
    const auto it = m_runs.find(key);
    if (it == m_runs.end() || it->second.of != of || it->second.judged) return;
    for (JudgedSub& s : it->second.run.subs)
        if (s.figures->file == figures->file) s = JudgedSub(), s.figures = figures;
    if (key == m_currentKey && !m_tellLater.isActive()) m_tellLater.start(); // not for each of hundreds
}

void SubsModel::judgeAfresh(SubsRun& run) const {
    judgeAgain(run.run, cull());
    run.moon = moonOf(run.run, run.gain);
}

void SubsModel::takeJudged(const QString& key) {
    SubsRun& run = m_runs.at(key);
    run.judged = true;
    rescale();
    for (std::size_t g = 0; g < m_groups.size(); ++g) {
        if (m_groups[g].kind != FrameKind::Light || m_keys[g] != key) continue;
        for (std::size_t i = 0; i < run.run.subs.size(); ++i)
            if (m_landed.erase(run.run.subs[i].figures->file) > 0) emit landed(static_cast<int>(g), static_cast<int>(i));
    }
}

void SubsModel::judgeNow() {
    for (auto& [key, run] : m_runs)
        if (run.judged) judgeAfresh(run);
    rescale();
    emit groupsChanged();
    emit runChanged();
}

void SubsModel::rescale() {
    std::map<std::string, std::vector<SubsRun*>> nights;
    for (std::size_t i = 0; i < m_groups.size(); ++i) {
        const FrameGroup& g = m_groups[i];
        if (const auto it = m_runs.find(m_keys[i]); g.kind == FrameKind::Light && it != m_runs.end() && it->second.judged && !g.night.empty())
            nights[g.night + "|" + g.target].push_back(&it->second);
    }
    for (auto& [night, runs] : nights) {
        const std::vector<const JudgedRun*> judged = [&runs = runs] {
            std::vector<const JudgedRun*> out;
            for (const SubsRun* r : runs) out.push_back(&r->run);
            return out;
        }();
        const auto scales = nightScales(judged);
        for (std::size_t i = 0; i < runs.size(); ++i) runs[i]->scale = scales[i];
    }
    emit nightJudged();
}

std::optional<MoonRejection> SubsModel::moonAgainstFirst(const std::string& channel) const {
    const auto first = std::find_if(m_groups.begin(), m_groups.end(), [](const FrameGroup& g) { return g.kind == FrameKind::Light; });
    if (first == m_groups.end() || m_current < 0 || &*first == &m_groups[static_cast<std::size_t>(m_current)]) return std::nullopt;
    const SubsRun *base = runOf(static_cast<int>(first - m_groups.begin())), *mine = runOf(m_current);
    const auto told = [&](const SubsRun* r) { return r && r->judged && r->moon && r->run.subs[r->run.reference].figures->channel == channel; };
    if (!told(base) || !told(mine)) return std::nullopt;
    return moonRejection(*mine->moon, *base->moon);
}

void SubsModel::wantPicture(std::size_t sub) {
    const SubsRun& r = here();
    if (r.measurer && sub < r.run.subs.size())
        m_pictures.want(r.run.subs[sub].figures->file, r.judged ? r.run.subs[r.run.reference].figures : r.run.subs[sub].figures, r.measurer);
}

QImage SubsModel::picture(std::size_t sub) const {
    return sub < run().subs.size() ? m_pictures.of(run().subs[sub].figures->file) : QImage();
}

} // namespace caelumen
