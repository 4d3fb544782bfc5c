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

} // namespace

const SubsRun* SubsModel::runOf(int group) const {
    if (group < 0 || group >= static_cast<int>(m_groups.size())) return nullptr;
    const auto it = m_runs.find(keyOf(m_groups[static_cast<std::size_t>(group)]));
    return it == m_runs.end() ? nullptr : &it->second;
}

const SubsRun& SubsModel::here() const {
    static const SubsRun none;
    const SubsRun* run = runOf(m_current);
    return run ? *run : none;
}

SubsRun& SubsModel::runFor(std::size_t group) {
    SubsRun& out = m_runs[keyOf(m_groups[group])];
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
    std::set<std::string> before, now;
    for (const JudgedSub& s : out.run.subs) before.insert(s.figures.file);
    for (const fs::path& p : r.lights) now.insert(nameText(p));
    if (out.judged && before == now) return out;
    out.judged = out.hopeless = false;
    out.run = {};
    for (const fs::path& p : r.lights) {
        JudgedSub s;
        if (const auto it = out.figures.find(nameText(p)); it != out.figures.end())
            s.figures = it->second;
        else
            s.figures.file = nameText(p), s.figures.exposure_s = r.run.sub_exposure_s;
        out.run.subs.push_back(std::move(s));
    }
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
    const QString key = keyOf(m_groups[*next]);
    const SubsRun& run = m_runs.at(key);
    const SubsRecipe r = recipe(static_cast<int>(*next));
    m_jobs.run(
        "measure", tr("Measuring subs"),
        [this, key, r, of = run.of, known = run.figures, judgedBefore = run.judged, measurer = run.measurer](const Job& job) mutable -> JobService::Finish {
            if (!measurer) {
                auto made = SubMeasurer::make(r, job);
                if (!made) {
                    if (made.error().message == kCancelled) return {};
                    return [this, key, sentence = QString::fromStdString(made.error().message)] {
                        if (const auto it = m_runs.find(key); it != m_runs.end()) it->second.hopeless = true;
                        emit problem(sentence);
                        measureNext();
                    };
                }
                measurer = std::make_shared<const SubMeasurer>(std::move(*made));
            }
            SubsRecipe fresh = r;
            std::erase_if(fresh.lights, [&](const fs::path& p) { return known.count(nameText(p)) > 0; });
            auto figures = measureSubs(fresh, *measurer, toPath(notebookFor(key + of)), job, [this, key, of](const SubFigures& f) {
                QMetaObject::invokeMethod(
                    this, [this, key, of, f] { takeFigures(key, of, f); }, Qt::QueuedConnection);
            });
            if (!figures) return {};
            for (SubFigures& f : *figures) known[f.file] = std::move(f);
            std::vector<SubFigures> all;
            for (const fs::path& p : r.lights) all.push_back(known[nameText(p)]);
            std::optional<Result<JudgedRun>> judged;
            if (!judgedBefore || !figures->empty()) judged = judgeRun(std::move(all), r.cull, r.reference);
            return [this, key, of, measurer, known = std::move(known), judged = std::move(judged)]() mutable {
                const auto it = m_runs.find(key);
                if (it == m_runs.end() || it->second.of != of) return measureNext();
                for (auto& [other, kept] : m_runs)
                    if (other != key && other != m_currentKey) kept.measurer.reset();
                it->second.measurer = measurer;
                it->second.gain = measurer->gain();
                it->second.figures = std::move(known);
                if (judged && judged->ok()) {
                    takeJudged(key, std::move(**judged));
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

void SubsModel::takeFigures(const QString& key, const QString& of, const SubFigures& figures) {
    const auto it = m_runs.find(key);
    if (it == m_runs.end() || it->second.of != of || it->second.judged) return;
    it->second.figures[figures.file] = figures;
    for (JudgedSub& s : it->second.run.subs)
        if (s.figures.file == figures.file) s.figures = figures;
    if (key == m_currentKey && !m_tellLater.isActive()) m_tellLater.start(); // not for each of hundreds
}

void SubsModel::takeJudged(const QString& key, JudgedRun judged) {
    SubsRun& run = m_runs.at(key);
    run.run = std::move(judged);
    run.judged = true;
    judgeAgain(run.run, cull());
    const auto response = moonResponse(run.run, run.run.subs[run.run.reference].figures.channel, run.gain);
    run.moon = response ? std::optional(*response) : std::nullopt;
    rescale();
    for (std::size_t g = 0; g < m_groups.size(); ++g) {
        if (m_groups[g].kind != FrameKind::Light || keyOf(m_groups[g]) != key) continue;
        for (std::size_t i = 0; i < run.run.subs.size(); ++i)
            if (m_landed.erase(run.run.subs[i].figures.file) > 0) emit landed(static_cast<int>(g), static_cast<int>(i));
    }
}

void SubsModel::judgeNow() {
    for (auto& [key, run] : m_runs) {
        if (!run.judged) continue;
        judgeAgain(run.run, cull());
        const auto response = moonResponse(run.run, run.run.subs[run.run.reference].figures.channel, run.gain);
        run.moon = response ? std::optional(*response) : std::nullopt;
    }
    rescale();
    emit groupsChanged();
    emit runChanged();
}

void SubsModel::rescale() {
    std::map<std::string, std::vector<SubsRun*>> nights;
    for (const FrameGroup& g : m_groups)
        if (const auto it = m_runs.find(keyOf(g)); g.kind == FrameKind::Light && it != m_runs.end() && it->second.judged && !g.night.empty())
            nights[g.night + "|" + g.target].push_back(&it->second);
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
    const auto told = [&](const SubsRun* r) { return r && r->judged && r->moon && r->run.subs[r->run.reference].figures.channel == channel; };
    if (!told(base) || !told(mine)) return std::nullopt;
    return moonRejection(*mine->moon, *base->moon);
}

void SubsModel::wantPicture(std::size_t sub) {
    const SubsRun& r = here();
    if (r.measurer && sub < r.run.subs.size())
        m_pictures.want(r.run.subs[sub].figures.file, r.judged ? r.run.subs[r.run.reference].figures : r.run.subs[sub].figures, r.measurer);
}

QImage SubsModel::picture(std::size_t sub) const {
    return sub < run().subs.size() ? m_pictures.of(run().subs[sub].figures.file) : QImage();
}

} // namespace caelumen
