#include "app/session.h"
#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/compare/propose.h"

#include <QFileInfo>

#include <algorithm>

/// The frames of the trial in hand: taken in, found again, watched, shown.
namespace caelumen {

void Session::relink(const QString& run, const QString& file) {
    Trial changed = m_trial;
    const std::filesystem::path folder = toPath(file).parent_path();
    for (Run& r : changed.runs) {
        const auto beside = [&](std::string& name) {
            const std::filesystem::path moved = folder / pathOf(name).filename();
            if (!name.empty() && !isFileToRead(m_folder / pathOf(name)) && isFileToRead(moved)) name = nameText(moved);
        };
        if (r.id == run.toStdString()) r.stack = nameText(toPath(file));
        for (std::string* name : {&r.stack, &r.short_stack, &r.odd_stack, &r.even_stack}) beside(*name);
    }
    edit(tr("Find the stack of run %1").arg(run), changed);
}

/// Frames of the trial that change on disk are read anew, so that figures and pictures tell of what is there.
void Session::watchFiles() {
    QStringList wanted;
    for (const auto& file : filesOf(m_trial, m_folder)) wanted << fromPath(file);
    QStringList gone;
    for (const QString& file : m_files.files())
        if (!wanted.contains(file)) gone << file;
    if (!gone.isEmpty()) m_files.removePaths(gone);
    for (const QString& file : wanted)
        if (!file.isEmpty() && !m_files.files().contains(file) && QFileInfo::exists(file)) m_files.addPath(file);
}

void Session::filesChanged() {
    QStringList changed;
    changed.swap(m_changedFiles);
    changed.removeDuplicates();
    watchFiles(); // one that was replaced is another file
    QStringList names;
    for (const Run& run : m_trial.runs)
        for (const std::string* file : {&run.stack, &run.odd_stack, &run.even_stack, &run.short_stack})
            if (const QString path = fromPath(m_folder / pathOf(*file)); !file->empty() && changed.contains(path)) {
                m_pictures.erase(QString::fromStdString(run.id));
                names << QFileInfo(path).fileName();
            }
    if (names.isEmpty()) return;
    emit told(tr("%1 has changed: read and measured again.").arg(names.join(", ")));
    m_current = false;
    emit picturesChanged();
    emit resultsChanged();
    loadPictures();
    measureNow();
}

void Session::takeFrames(const QStringList& files, bool intoCurrent) {
    std::vector<std::filesystem::path> frames;
    for (const QString& f : files) frames.push_back(toPath(f));
    if (frames.empty()) return;
    const bool adds = intoCurrent && m_trialId != 0;
    m_intake.run("headers", tr("Reading headers"), [this, frames, adds, trial = adds ? m_trial : Trial{}](const Job&) -> JobService::Finish {
        Trial changed = trial;
        std::vector<std::string> bad; // the others go in
        (void)addRuns(changed, frames, &bad);
        QStringList sentences;
        for (const std::string& sentence : bad) sentences << QString::fromStdString(sentence);
        const std::size_t count = changed.runs.size() - trial.runs.size();
        if (count == 0) return [this, sentences] { emit failed(sentences.join(" ")); };
        if (!adds) changed.title = changed.target.name.empty() ? "New trial" : changed.target.name;
        return [this, changed, before = trial, adds, count, sentences] {
            if (adds && before != m_trial) return emit failed(tr("The trial has changed while headers were read; drop the frames again."));
            Trial filled = changed;
            fillFromShelf(filled, m_shelf);
            if (adds)
                edit(tr("Add %n run(s)", "", static_cast<int>(count)), filled);
            else if (const Status added = addTrial(filled); !added)
                emit failed(QString::fromStdString(added.error().message));
            if (!sentences.isEmpty()) emit failed(sentences.join(" "));
        };
    });
}

namespace {

/// What a run's picture depends on: its file and the facts that turn its pixels into rates.
QString pictureKey(const Trial& trial, const Run& run) {
    Trial one;
    one.rig = trial.rig;
    Run facts = run;
    facts.note.clear();
    facts.baseline = facts.guessed = false;
    one.runs = {facts};
    return QString::fromStdString(jsonText(trialToJson(one)));
}

} // namespace

void Session::loadPictures() {
    // Keep what is loaded already; fetch what is new, baseline first.
    std::map<QString, std::pair<QString, std::shared_ptr<const PicturePyramid>>> kept;
    std::vector<Run> missing;
    for (const Run& run : m_trial.runs) {
        const QString id = QString::fromStdString(run.id), key = pictureKey(m_trial, run);
        const auto it = m_pictures.find(id);
        if (it != m_pictures.end() && it->second.first == key)
            kept[id] = it->second;
        else
            missing.push_back(run);
    }
    std::stable_sort(missing.begin(), missing.end(), [](const Run& a, const Run& b) { return a.baseline > b.baseline; });
    m_whyNoPicture.clear();
    const bool dropped = kept.size() != m_pictures.size();
    m_pictures = std::move(kept);
    if (dropped) emit picturesChanged();
    for (const Run& run : missing) {
        m_jobs.run("picture " + QString::fromStdString(run.id), tr("Loading pictures"), [this, run, trial = m_trial](const Job& job) -> JobService::Finish {
            const auto open = openRun(trial, run, {});
            const auto without = [this, run](const Error& error) {
                return [this, id = QString::fromStdString(run.id), sentence = QString::fromStdString(error.message)] {
                    m_whyNoPicture[id] = sentence;
                    emit picturesChanged();
                    emit failed(sentence);
                };
            };
            if (!open) return without(open.error());
            auto picture = PicturePyramid::load(*open, job);
            if (!picture && picture.error().message == kCancelled) return {};
            if (!picture) return without(picture.error());
            auto shared = std::make_shared<const PicturePyramid>(std::move(*picture));
            const QSize size(open->conditions.width, open->conditions.height);
            return [this, run, shared, size] {
                m_pictures[QString::fromStdString(run.id)] = {pictureKey(m_trial, run), shared};
                if (!m_frame.isValid() || (run.baseline && !m_current)) m_frame = size;
                emit picturesChanged();
            };
        });
    }
}

} // namespace caelumen
