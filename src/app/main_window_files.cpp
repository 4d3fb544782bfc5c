#include "app/kit/kit.h"
#include "app/log/log_room.h"
#include "app/main_window.h"
#include "app/subs/subs.h"
#include "app/widgets/paths.h"
#include "app/widgets/status_line.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/image/frame_file.h"
#include "report/html_report.h"
#include "report/pdf_report.h"

#include <QDir>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileInfo>
#include <QMimeData>
#include <QRegularExpression>
#include <QTimer>
#include <QUrl>

#include <algorithm>

/// Files that come into the window, by drop or by a dialog, and comparisons that leave it.
namespace caelumen {
namespace {

/// Whether a JSON file says that it is a kit or a camera, without taking it in.
bool saysItIs(const char* what, const QString& path) {
    QFile file(path);
    return isFileToRead(toPath(path)) && file.open(QIODevice::ReadOnly) && file.read(4096).contains(QByteArray("\"caelumen_") + what + '"');
}

/// The frames of a folder of stacks; nothing for a folder of subs, which the Subs take whole. The first frame's header tells.
QStringList stacksIn(const QString& folder) {
    QStringList out;
    for (const QFileInfo& f : QDir(folder).entryInfoList({"*.fits", "*.fit", "*.fts", "*.fz", "*.tif", "*.tiff"}, QDir::Files, QDir::Name))
        out << f.absoluteFilePath();
    if (out.isEmpty()) return out;
    const auto first = FrameFile::open(toPath(out.front()));
    if (!first) return {};
    const FrameFacts& facts = first->info().facts;
    return facts.sub_count.value_or(1) > 1 || (!facts.frame_kind && out.size() <= 12) ? out : QStringList();
}

QString suggestedName(const Trial& trial, const QString& ending) {
    QString name = QString::fromStdString(trial.title).toLower();
    name.replace(QRegularExpression("[^\\p{L}\\p{N}]+"), "-");
    name.remove(QRegularExpression("^-|-$"));
    return (name.isEmpty() ? QString("comparison") : name) + "." + ending;
}

} // namespace

void MainWindow::takeFiles(const QStringList& files) {
    const bool folders = std::any_of(files.begin(), files.end(), [](const QString& f) {
        std::error_code odd;
        return std::filesystem::is_directory(toPath(f), odd);
    });
    if (folders && workspace() == Workspace::Log && m_log->takeFiles(files)) return;
    if ((folders || workspace() == Workspace::Subs) && m_subs->takeFiles(files)) return showWorkspace(Workspace::Subs);
    QStringList frames;
    for (const QString& file : files) {
        const QString ending = QFileInfo(file).suffix().toLower();
        if (ending == "caelumen") {
            openCampaign(file);
            return;
        }
        if (ending == "json" && (saysItIs("kit", file) || saysItIs("camera", file))) {
            showWorkspace(Workspace::Kit);
            if (saysItIs("kit", file))
                m_kit->importKit(file);
            else
                m_kit->takeCamera(file);
            return;
        }
        if (ending == "json" && (saysItIs("results", file) || saysItIs("share", file))) {
            showWorkspace(Workspace::Log);
            m_log->takeFiles(files);
            return;
        }
        if (ending == "json") {
            auto trial = readTrial(toPath(file));
            if (!trial) {
                fail(QString::fromStdString(trial.error().message));
                return;
            }
            const QDir folder = QFileInfo(file).absoluteDir();
            resolveFiles(*trial, folder.absolutePath().toStdString());
            if (const Status added = m_session.addTrial(*trial); !added) fail(QString::fromStdString(added.error().message));
            return;
        }
        if (ending == "csv" || ending == "txt" || ending == "tsv" || ending == "dat") {
            showWorkspace(Workspace::Kit);
            m_kit->takeCurve(file);
            return;
        }
        if (ending == "png" || ending == "jpg" || ending == "jpeg" || ending == "bmp" || ending == "webp") {
            showWorkspace(Workspace::Kit);
            QTimer::singleShot(0, m_kit, [this, file] { m_kit->readChart(file); }); // the drag ends first
            return;
        }
        frames << file;
    }
    // One frame joins the trial in hand; several make a new one.
    m_session.takeFrames(frames, frames.size() == 1 && m_session.hasTrial());
}

void MainWindow::newTrial() {
    const QStringList files = m_prompts->openFrames(this);
    if (!files.isEmpty()) m_session.takeFrames(files, false);
}

void MainWindow::addFrames() {
    const QStringList files = m_prompts->openFrames(this);
    if (!files.isEmpty()) m_session.takeFrames(files, true);
}

void MainWindow::importTrial() {
    const QString path = m_prompts->openFile(this, tr("Import a trial file"), tr("Trials (*.json)"));
    if (!path.isEmpty()) takeFiles({path});
}

void MainWindow::exportComparison(const QString& ending) {
    if (!m_session.results()) return;
    const QString filter = ending == "html"  ? tr("Web page (*.html)")
                           : ending == "pdf" ? tr("Page (*.pdf)")
                           : ending == "csv" ? tr("Table (*.csv)")
                                             : tr("Results (*.json)");
    QString path = m_prompts->saveFile(this, tr("Export the comparison"), suggestedName(m_session.trial(), ending), filter);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += "." + ending;
    saveTo(path, ending);
}

void MainWindow::saveTo(const QString& path, const QString& ending) {
    const auto trial = m_session.trial();
    if (const Status safe = m_session.mayWrite(path); !safe) return fail(QString::fromStdString(safe.error().message));
    const auto results = std::make_shared<TrialResults>(*m_session.results());
    m_session.jobs().run("export", tr("Exporting"), [this, trial, results, path, ending](const Job& job) -> JobService::Finish {
        std::string text;
        if (ending == "html" || ending == "pdf") {
            auto page = htmlReport(trial, *results, {}, job);
            if (page && ending == "pdf") page = pdfReport(*page, trial.title);
            if (!page) return [this, sentence = QString::fromStdString(page.error().message)] { fail(sentence); };
            text = std::move(*page);
        } else if (ending == "csv") {
            text = resultsToCsv(*results);
        } else {
            text = jsonText(resultsToJson(*results), 1) + "\n";
        }
        const Status written = writeFile(toPath(path), text);
        if (!written) return [this, sentence = QString::fromStdString(written.error().message)] { fail(sentence); };
        return [this, path] { m_status->say(tr("Exported to %1").arg(path)); };
    });
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList files;
    for (const QUrl& url : event->mimeData()->urls()) {
        // From the bytes of the address: a name that is no UTF-8 would come out as another.
        if (!url.isLocalFile()) continue;
        const QString path = fromPath(QByteArray::fromPercentEncoding(url.path(QUrl::FullyEncoded).toUtf8()).toStdString());
        const QStringList stacks = QFileInfo(path).isDir() && workspace() != Workspace::Subs ? stacksIn(path) : QStringList();
        if (stacks.isEmpty())
            files << path;
        else
            files += stacks;
    }
    if (files.isEmpty()) return;
    event->acceptProposedAction();
    takeFiles(files);
}

} // namespace caelumen
