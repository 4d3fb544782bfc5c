#include "app/camera_shelf.h"
#include "app/filter_curve.h"
#include "app/subs/subs.h"
#include "app/subs/told_dialog.h"
#include "app/subs/transfer_dialog.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "core/base/text.h"
#include "core/optics/light_cone.h"
#include "core/prepare/lines.h"

#include <QAction>
#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QRegularExpression>
#include <QStandardPaths>

#include <algorithm>

namespace caelumen {
namespace {

/// A stack's name ends as one: no other kind of file is ever replaced by it.
QString asFits(const QString& file) {
    const QString ending = QFileInfo(file).suffix().toLower();
    return ending == "fits" || ending == "fit" || ending == "fts" ? file : file + ".fits";
}

} // namespace

void Subs::buildMenu(QMenu* menu) {
    menu->setToolTipsVisible(true);
    menu->addAction(tr("Add files \u2026"), this, [this] {
        if (const QStringList files = m_prompts.openFrames(this); !files.isEmpty()) m_model.addSources(files);
    });
    auto* watch = menu->addAction(tr("Watch a folder \u2026"), this, [this] {
        if (!m_model.watched().isEmpty()) return m_model.watch({});
        if (const QString folder = m_prompts.folder(this, tr("A folder in which subs land")); !folder.isEmpty()) m_model.watch(folder);
    });
    watch->setToolTip(tr("Each sub is judged as it lands; files still being written are waited for"));
    auto* camera = menu->addAction(tr("Start the virtual camera"), this, &Subs::askVirtualCamera);
    camera->setToolTip(tr("Drops made-up subs into a folder that is watched: to try, to teach, to test"));
    menu->addSeparator();
    auto* library = menu->addAction(tr("Dark library \u2026"), this, [this] {
        if (const QString folder = m_prompts.folder(this, tr("Where darks and biases for all campaigns lie")); !folder.isEmpty())
            m_model.setDarkLibrary(folder);
    });
    auto* without = menu->addAction(tr("Without the dark library"), this, [this] { m_model.setDarkLibrary({}); });
    menu->addSeparator();
    auto* filter = menu->addAction(tr("Facts of these subs \u2026"), this, &Subs::askFacts);
    filter->setToolTip(tr("Filter, target, exposure, gain, mosaic and place, where headers are silent or wrong"));
    auto* kinds = menu->addMenu(tr("They are"));
    for (const FrameKind kind : {FrameKind::Light, FrameKind::Dark, FrameKind::Flat, FrameKind::Bias, FrameKind::FlatDark})
        kinds->addAction(tr(kind == FrameKind::Light  ? "lights"
                            : kind == FrameKind::Dark ? "darks"
                            : kind == FrameKind::Flat ? "flats"
                            : kind == FrameKind::Bias ? "biases"
                                                      : "flat darks"),
                         this, [this, kind] {
                             const int group = groupOf(m_others->hasFocus() || m_runs->currentRow() < 0 ? m_others : m_runs);
                             if (group >= 0) m_model.tellKind(group, kind);
                         });
    auto* remove = menu->addAction(tr("Take these frames out"), this, [this] {
        const int group = groupOf(m_others->hasFocus() || m_runs->currentRow() < 0 ? m_others : m_runs);
        if (group >= 0) m_model.removeGroup(group);
    });
    remove->setToolTip(tr("The files stay where they are"));
    menu->addSeparator();
    menu->addAction(tr("Oxygen of several filters \u2026"), this,
                    [this] {
                        const QStringList files = m_prompts.openFrames(this);
                        if (files.isEmpty()) return;
                        QString out = m_prompts.saveFile(this, tr("Oxygen of several filters"), QFileInfo(files.first()).dir().filePath("oxygen.fits"),
                                                         tr("FITS (*.fits)"));
                        if (out.isEmpty()) return;
                        out = asFits(out);
                        std::vector<std::filesystem::path> paths;
                        for (const QString& f : files) paths.push_back(toPath(f));
                        m_lineJobs.run("oxygen", tr("Adding oxygen"), [this, paths, out](const Job& job) -> JobService::Finish {
                            const Status done = addOxygen(paths, toPath(out), job);
                            return [this, out, text = done ? QString() : QString::fromStdString(done.error().message)] {
                                if (text.isEmpty())
                                    emit told(tr("Written: %1").arg(out));
                                else
                                    emit problem(text);
                            };
                        });
                    })
        ->setToolTip(tr("Line frames of several runs, laid on each other and weighted by their noise"));
    auto* transfer = menu->addAction(tr("Gain and read noise from flats and biases \u2026"), this, &Subs::showTransfer);
    transfer->setToolTip(tr("Photon transfer with the flats and biases of the run in hand: no data sheet is needed"));
    connect(menu, &QMenu::aboutToShow, this, [this, watch, camera, library, without, filter, kinds, remove, transfer] {
        watch->setText(m_model.watched().isEmpty() ? tr("Watch a folder \u2026") : tr("Stop watching %1").arg(QFileInfo(m_model.watched()).fileName()));
        camera->setEnabled(!m_camera.running());
        library->setText(SubsModel::darkLibrary().isEmpty() ? tr("Dark library \u2026")
                                                            : tr("Dark library: %1 \u2026").arg(QFileInfo(SubsModel::darkLibrary()).fileName()));
        without->setEnabled(!SubsModel::darkLibrary().isEmpty());
        const bool any = !m_model.groups().empty();
        filter->setEnabled(groupOf(m_runs) >= 0);
        kinds->setEnabled(any), remove->setEnabled(any), transfer->setEnabled(any);
    });
}

void Subs::askFacts() {
    const int group = groupOf(m_runs);
    if (group < 0) return;
    const FrameGroup& g = m_model.groups()[static_cast<std::size_t>(group)];
    ToldDialog dialog(QString::fromStdString(g.title()), m_model.told(group), m_model.asRead(g.frames.front()), this);
    if (dialog.exec() == QDialog::Accepted) m_model.tell(group, dialog.told());
}

bool Subs::takeFiles(const QStringList& files) {
    QStringList wanted;
    for (const QString& f : files)
        if (std::error_code odd; std::filesystem::is_directory(toPath(f), odd) || !framesBeneath(toPath(f)).empty()) wanted << f;
    if (wanted.isEmpty()) return false;
    m_model.addSources(wanted);
    return true;
}

QString Subs::suggestedStack(int group) const {
    const FrameGroup& g = m_model.groups()[static_cast<std::size_t>(group)];
    QString name = QString::fromStdString(g.target + " " + g.filter + " " + g.night).toLower();
    name.replace(QRegularExpression("[^\\p{L}\\p{N}]+"), "-");
    name.remove(QRegularExpression("^-|-$"));
    QDir folder = QFileInfo(QString::fromStdString(nameText(m_model.frames()[g.frames.front()].path))).dir();
    return folder.filePath((name.isEmpty() ? QString("stack") : name) + ".fits");
}

void Subs::stackRun() {
    const int group = m_model.current();
    if (group < 0) return;
    const QString file = m_prompts.saveFile(this, tr("Stack this run"), suggestedStack(group), tr("FITS (*.fits)"));
    if (file.isEmpty()) return;
    m_model.stack({{group, asFits(file)}});
}

void Subs::stackAll() {
    const QString folder = m_prompts.folder(this, tr("Where the stacks go"));
    if (folder.isEmpty()) return;
    std::vector<std::pair<int, QString>> wanted;
    QStringList names;
    for (std::size_t i = 0; i < m_model.groups().size(); ++i) {
        if (m_model.groups()[i].kind != FrameKind::Light) continue;
        QString name = QFileInfo(suggestedStack(static_cast<int>(i))).completeBaseName();
        // Nothing that is there is written over.
        for (int k = 2; names.contains(name) || QFileInfo::exists(QDir(folder).filePath(name + ".fits")); ++k)
            name = QFileInfo(suggestedStack(static_cast<int>(i))).completeBaseName() + QString("-%1").arg(k);
        names << name;
        wanted.emplace_back(static_cast<int>(i), QDir(folder).filePath(name + ".fits"));
    }
    m_model.stack(wanted);
}

void Subs::finished(const QStringList& files, const QStringList& notes) {
    m_stacks = files;
    m_lines->setEnabled(true);
    emit stacksMade(files, m_model.trialFits());
    if (!notes.isEmpty()) emit problem(notes.join(" "));
}

LineMatrix Subs::lineMatrixOf(const QString& stack) const {
    const Trial& t = m_session.trial();
    const auto run = std::find_if(t.runs.begin(), t.runs.end(), [&](const Run& r) { return QFileInfo(QString::fromStdString(r.stack)) == QFileInfo(stack); });
    return lineMatrixOfRun(m_session, run != t.runs.end() ? &*run : nullptr);
}

void Subs::separateLines() {
    // The filter's curve and the camera tell which channel sees which line.
    std::vector<std::pair<std::filesystem::path, LineMatrix>> work;
    for (const QString& file : m_stacks) work.emplace_back(toPath(file), lineMatrixOf(file));
    m_lineJobs.run("lines", tr("Separating lines"), [this, work](const Job&) -> JobService::Finish {
        QStringList written, failed;
        for (const auto& [file, matrix] : work) {
            const auto made = writeLines(file, matrix);
            if (made)
                written << QFileInfo(QString::fromStdString(nameText(made->red))).fileName()
                        << QFileInfo(QString::fromStdString(nameText(made->oxygen))).fileName();
            else
                failed << QString::fromStdString(made.error().message);
        }
        return [this, written, failed] {
            if (!written.isEmpty()) emit told(tr("Written: %1").arg(written.join(", ")));
            if (!failed.isEmpty()) emit problem(failed.join(" "));
        };
    });
}

void Subs::showTransfer() {
    // Of the run in hand; before there are lights, whatever flats and biases there are.
    std::vector<std::filesystem::path> flats, biases, lights;
    if (m_model.current() >= 0) {
        const SubsRecipe r = m_model.recipe(m_model.current());
        flats = r.flats, biases = r.biases, lights = r.lights;
    } else {
        for (const FrameGroup& g : m_model.groups())
            for (const std::size_t f : g.frames) {
                if (g.kind == FrameKind::Flat) flats.push_back(m_model.frames()[f].path);
                if (g.kind == FrameKind::Bias) biases.push_back(m_model.frames()[f].path);
            }
    }
    delete m_transfer;
    m_transfer = new TransferDialog(m_session, flats, biases, lights, this);
    m_transfer->setAttribute(Qt::WA_DeleteOnClose);
    m_transfer->show();
}

void Subs::askVirtualCamera() {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/virtual-night";
    QDir(folder).removeRecursively(); // its own, made up anew each time
    QDir().mkpath(folder);
    m_camera.start(folder, {"open", "duo7"}, 24, 3, 1, 1200, 4);
    m_pace->setCurrentIndex(1);
    m_model.watch(folder);
}

} // namespace caelumen
