#include "app/await.h"
#include "app/camera_shelf.h"
#include "app/kit/camera_dialog.h"
#include "app/kit/chart_dialog.h"
#include "app/kit/filter_dialog.h"
#include "app/kit/kit.h"
#include "app/kit/rig_dialog.h"
#include "app/kit/site_dialog.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "core/base/file.h"
#include "core/base/text.h"
#include "core/model/filter_kinds.h"
#include "core/model/kit_file.h"
#include "core/optics/camera_file.h"
#include "core/optics/starter.h"

#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QFormLayout>
#include <QImageReader>
#include <QLabel>
#include <QLineEdit>
#include <QRegularExpression>
#include <QSettings>
#include <QSignalBlocker>
#include <QStandardPaths>
#include <QTimer>

#include <algorithm>

// What the Kit's buttons and menus do: ask, take in, write out.

namespace caelumen {

ClaimTolerance Kit::keptTolerance() {
    const QSettings settings;
    const ClaimTolerance usual;
    return {settings.value("kit/tolerance-centre", usual.center_nm).toDouble(), settings.value("kit/tolerance-width", usual.fwhm).toDouble(),
            settings.value("kit/tolerance-peak", usual.peak).toDouble()};
}

void Kit::askCurve() {
    const QString path = m_prompts.openFile(this, tr("Import a curve"), tr("Curves (*.csv *.txt *.tsv *.dat);;All files (*)"));
    if (!path.isEmpty()) takeCurve(path);
}

void Kit::askChart() {
    const QString path = m_prompts.openFile(this, tr("Picture of a chart"), tr("Pictures (*.png *.jpg *.jpeg *.bmp *.webp *.tif *.tiff);;All files (*)"));
    if (!path.isEmpty()) readChart(path);
}

void Kit::readChart(const QString& path) {
    const Filter* filter = m_session.trial().filter(currentFilter().toStdString());
    if (!filter) return emit problem(tr("There is no filter to give %1 to; open a trial first.").arg(path));
    if (const Status there = isFileToRead(toPath(path)); !there) return emit problem(QString::fromStdString(there.error().message));
    m_jobs.run("chart", tr("Reading the picture"), [this, path, name = QString::fromStdString(filter->name)](const Job&) -> JobService::Finish {
        QImageReader reader(path);
        reader.setAutoTransform(true);
        const QImage picture = reader.read();
        const QString why = reader.errorString();
        return [this, path, name, picture, why] {
            if (picture.isNull()) return emit problem(tr("%1 cannot be read as a picture (%2); save it as PNG or JPEG and try again.").arg(path, why));
            QTimer::singleShot(0, this, [this, path, name, picture] { traceChart(picture, name, path); });
        };
    });
}

void Kit::traceChart(const QImage& picture, const QString& name, const QString& path) {
    ChartDialog dialog(picture, name, this);
    if (dialog.exec() != QDialog::Accepted) return;
    const QFileInfo file(path);
    const QString to = m_prompts.saveFile(this, tr("Save the curve"), file.dir().filePath(file.completeBaseName() + ".csv"), tr("Curves (*.csv)"));
    if (to.isEmpty()) return;
    if (const Status written = m_session.write(to, curveToCsv(dialog.curve())); !written) return emit problem(QString::fromStdString(written.error().message));
    takeCurve(to);
}

void Kit::takeCurve(const QString& path) {
    const std::string id = currentFilter().toStdString();
    if (id.empty()) {
        emit problem(tr("There is no filter to give %1 to; open a trial first.").arg(path));
        return;
    }
    const auto curve = readCurve(toPath(path));
    if (!curve) {
        emit problem(QString::fromStdString(curve.error().message));
        return;
    }
    Trial changed = m_session.trial();
    for (Filter& f : changed.filters)
        if (f.id == id) f.curve = nameText(std::filesystem::absolute(toPath(path)));
    for (const std::string& note : curve->notes) emit problem(QString::fromStdString(note));
    m_session.edit(tr("Import a curve"), changed);
}

void Kit::askFacts() {
    const Filter* filter = m_session.trial().filter(currentFilter().toStdString());
    if (!filter) return;
    FilterDialog dialog(*filter, m_prompts, this);
    if (dialog.exec() != QDialog::Accepted) return;
    Trial changed = m_session.trial();
    for (Filter& f : changed.filters)
        if (f.id == dialog.filter().id) f = dialog.filter();
    m_indexOf.clear();
    m_session.edit(tr("Facts of %1").arg(QString::fromStdString(dialog.filter().name)), changed);
}

void Kit::askSite() {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial whose place could be described; open one first."));
    SiteDialog dialog(m_session.trial().site, m_prompts, this);
    if (dialog.exec() != QDialog::Accepted) return;
    Trial changed = m_session.trial();
    changed.site = dialog.site();
    m_session.edit(tr("Place of the trial"), changed);
}

void Kit::askRig() {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial whose telescope could be described; open one first."));
    RigDialog dialog(m_session.trial().rig, this);
    if (dialog.exec() != QDialog::Accepted) return;
    Trial changed = m_session.trial();
    changed.rig = dialog.rig();
    m_session.edit(tr("Telescope of the trial"), changed);
}

void Kit::askClaimedCurve() {
    const std::string id = currentFilter().toStdString();
    if (id.empty()) return emit problem(tr("There is no filter to give a curve to; open a trial first."));
    const QString path = m_prompts.openFile(this, tr("Import the maker's curve"), tr("Curves (*.csv *.txt *.tsv *.dat);;All files (*)"));
    if (path.isEmpty()) return;
    if (const auto curve = readCurve(toPath(path)); !curve) return emit problem(QString::fromStdString(curve.error().message));
    Trial changed = m_session.trial();
    for (Filter& f : changed.filters)
        if (f.id == id) f.claimed_curve = nameText(std::filesystem::absolute(toPath(path)));
    m_session.edit(tr("Import the maker's curve"), changed);
}

void Kit::askTolerance() {
    const ClaimTolerance now = keptTolerance();
    QDialog dialog(this);
    dialog.setWindowTitle(tr("How far a curve may lie from a claim"));
    auto* form = new QFormLayout;
    const OptionalNumber centre = field(form, tr("Centre (nm)"), now.center_nm, {}, 0.01, 100),
                         width = field(form, tr("Width (% of the claimed)"), 100 * now.fwhm, {}, 0.1, 100),
                         peak = field(form, tr("Peak (% of transmission)"), 100 * now.peak, {}, 0.1, 100);
    finish(&dialog, form, problemLabel());
    if (dialog.exec() != QDialog::Accepted) return;
    QSettings settings;
    const ClaimTolerance usual;
    for (const OptionalNumber* f : {&centre, &width, &peak}) {
        bool valid = true;
        (void)f->value(valid);
        if (!valid) return emit problem(tr("\"%1\" is no such limit; give a number from %2 to %3.").arg(f->edit->text()).arg(f->low).arg(f->high));
    }
    const auto keep = [&](const char* key, const OptionalNumber& f, double per, double otherwise) {
        settings.setValue(key, get(f).value_or(otherwise * per) / per);
    };
    keep("kit/tolerance-centre", centre, 1, usual.center_nm);
    keep("kit/tolerance-width", width, 100, usual.fwhm);
    keep("kit/tolerance-peak", peak, 100, usual.peak);
    refresh();
}

/// Beside the campaign, so that both can be carried together.
std::filesystem::path Kit::curveFolder() const {
    const Campaign* campaign = m_session.campaign();
    const std::filesystem::path file = campaign ? std::filesystem::path(campaign->path().toStdString()) : std::filesystem::path("campaign");
    return std::filesystem::absolute(file.parent_path() / (file.stem() += " curves"));
}

void Kit::addStarter(const std::string& id) {
    const auto& all = starterFilters();
    const auto f = std::find_if(all.begin(), all.end(), [&](const StarterFilter& s) { return s.id == id; });
    if (f == all.end()) return;
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial to add a filter to; open one first."));
    KitFile kit;
    Filter filter;
    filter.id = f->id;
    filter.name = f->name;
    filter.kind = f->kind;
    filter.claims = f->claims;
    filter.effective_index = f->effectiveIndex;
    filter.made_for_f_ratio = f->madeForFRatio;
    filter.thickness_mm = f->thickness_mm;
    filter.notes = f->source;
    kit.filters.push_back(filter);
    kit.curves[f->id] = f->curve;
    Trial changed = m_session.trial();
    if (const Status added = addToTrial(kit, changed, curveFolder()); !added) return emit problem(QString::fromStdString(added.error().message));
    m_session.edit(tr("Add %1").arg(QString::fromStdString(f->name)), changed);
    chooseFilter(QString::fromStdString(f->id));
}

void Kit::newFilter() {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial to add a filter to; open one first."));
    Filter fresh;
    fresh.kind = filter_kind::other;
    FilterDialog dialog(fresh, m_prompts, this);
    dialog.setWindowTitle(tr("New filter"));
    if (dialog.exec() != QDialog::Accepted) return;
    addFilter(dialog.filter());
}

void Kit::addNoFilter() {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial to add a filter to; open one first."));
    for (const Filter& f : m_session.trial().filters)
        if (f.kind == filter_kind::none) return chooseFilter(QString::fromStdString(f.id)); // it is there
    Filter none;
    none.name = tr("No filter").toStdString();
    none.kind = filter_kind::none;
    addFilter(none);
}

void Kit::addFilter(Filter filter) {
    Trial changed = m_session.trial();
    const std::string id = slug(filter.name);
    filter.id = id;
    for (int n = 2; changed.filter(filter.id); ++n) filter.id = id + "-" + std::to_string(n);
    changed.filters.push_back(filter);
    m_session.edit(tr("Add %1").arg(QString::fromStdString(filter.name)), changed);
    chooseFilter(QString::fromStdString(filter.id));
}

void Kit::askOtherCampaign() {
    const QString path = m_prompts.openFile(this, tr("Copy filters from a campaign"), tr("Campaigns (*.caelumen)"));
    if (path.isEmpty()) return;
    const auto theirs = awaited([path] { return Session::shelfOf(path); });
    if (!theirs) return emit problem(QString::fromStdString(theirs.error().message));
    FilterShelf mine = m_session.shelf();
    QStringList copied;
    for (const Filter& f : *theirs)
        if (!onShelf(mine, f.name)) mine.push_back(f), copied << QString::fromStdString(f.name);
    if (copied.isEmpty()) return emit problem(tr("%1 has no filter that this campaign does not know.").arg(QFileInfo(path).fileName()));
    m_session.setShelf(mine);
    emit told(tr("Copied: %1. They are under \"Add from this campaign\".").arg(copied.join(", ")));
}

/// What the campaign says of the filter in hand, in place of what this trial says.
void Kit::takeShelved() {
    Trial changed = m_session.trial();
    const auto own = std::find_if(changed.filters.begin(), changed.filters.end(), [&](const Filter& f) { return f.id == currentFilter().toStdString(); });
    const Filter* shelved = own == changed.filters.end() ? nullptr : onShelf(m_session.shelf(), own->name);
    if (!shelved) return;
    const std::string id = own->id;
    *own = *shelved;
    own->id = id;
    m_session.edit(tr("Take the campaign's %1").arg(QString::fromStdString(own->name)), changed);
}

void Kit::removeFilter() {
    const std::string id = currentFilter().toStdString();
    Trial changed = m_session.trial();
    const Filter* filter = changed.filter(id);
    if (!filter) return;
    const QString name = QString::fromStdString(filter->name);
    for (const Run& r : changed.runs)
        if (r.filter == id)
            return emit problem(tr("%1 stays: run %2 was made with it. Take that run away first, on the Bench.").arg(name, QString::fromStdString(r.id)));
    std::erase_if(changed.filters, [&](const Filter& f) { return f.id == id; });
    m_session.edit(tr("Remove %1").arg(name), changed);
}

namespace {

QString cameraFile(const Camera& camera) {
    return QString::fromStdString(camera.name).replace(QRegularExpression("[^\\w-]+"), "-") + ".json";
}
bool isOwn(const Camera& camera) {
    return camera.id.starts_with("own:");
}

} // namespace

/// One's own cameras are kept for all campaigns.
void Kit::fillCameras(const QString& chosen) {
    m_cameras = allCameras();
    const QSignalBlocker quiet(m_camera);
    m_camera->clear();
    for (const Camera& c : m_cameras) {
        m_camera->addItem(QString::fromStdString(c.name), QString::fromStdString(c.id));
        if (c.id == chosen.toStdString()) m_camera->setCurrentIndex(m_camera->count() - 1);
    }
}

void Kit::askCamera() {
    const QString path = m_prompts.openFile(this, tr("Add a camera"), tr("Cameras (*.json);;All files (*)"));
    if (!path.isEmpty()) takeCamera(path);
}

void Kit::takeCamera(const QString& path) {
    const auto text = readText(toPath(path), 32U << 20U);
    if (!text) return emit problem(QString::fromStdString(text.error().message));
    const auto camera = cameraFromText(*text, path.toStdString());
    if (!camera) return emit problem(QString::fromStdString(camera.error().message));
    keepCamera(*camera);
}

void Kit::keepCamera(const Camera& camera) {
    const QDir own = ownCameraFolder();
    if (!own.mkpath(".")) return emit problem(tr("%1 cannot be made; check its rights.").arg(own.path()));
    if (const Status written = writeFile(toPath(own.filePath(cameraFile(camera))), cameraToText(camera)); !written)
        return emit problem(QString::fromStdString(written.error().message));
    fillCameras("own:" + QString::fromStdString(camera.name));
    keepChoices();
    refresh();
}

void Kit::askCameraFacts() {
    Camera camera = this->camera();
    const bool own = isOwn(camera);
    const QString before = own ? cameraFile(camera) : QString();
    if (!own) camera.name = tr("My %1").arg(QString::fromStdString(camera.name).toLower()).toStdString();
    CameraDialog dialog(camera, m_prompts, this);
    if (dialog.exec() != QDialog::Accepted) return;
    if (own && cameraFile(dialog.camera()) != before) QFile::remove(ownCameraFolder().filePath(before)); // it was given another name
    keepCamera(dialog.camera());
}

void Kit::removeCamera() {
    const QString name = QString::fromStdString(camera().name);
    if (!isOwn(camera())) return emit problem(tr("%1 belongs to the program and stays; only cameras of your own can be removed.").arg(name));
    if (!m_prompts.confirm(this, tr("Remove the camera %1? Its file is deleted.").arg(name), tr("Remove"))) return;
    if (!QFile::remove(ownCameraFolder().filePath(cameraFile(camera()))))
        return emit problem(tr("The file of %1 cannot be deleted; check its rights.").arg(name));
    fillCameras({});
    keepChoices();
    refresh();
}

void Kit::askExportCamera() {
    const QString path =
        m_prompts.saveFile(this, tr("Export the camera"),
                           QString::fromStdString(camera().name).toLower().replace(QRegularExpression("[^\\w-]+"), "-") + ".json", tr("Cameras (*.json)"));
    if (path.isEmpty()) return;
    if (const Status written = m_session.write(path, cameraToText(camera())); !written) emit problem(QString::fromStdString(written.error().message));
}

void Kit::askExport() {
    if (m_session.trial().filters.empty()) return emit problem(tr("There is no filter to export; open a trial first."));
    const QString path =
        m_prompts.saveFile(this, tr("Export the kit"), "kit.json", tr("Kit with curves, telescope and place (*.json);;Table of filters (*.csv)"));
    if (path.isEmpty()) return;
    std::string text;
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        text = filtersToCsv(m_session.trial().filters);
    } else {
        const auto kit = kitOf(m_session.trial(), m_session.folder());
        if (!kit) return emit problem(QString::fromStdString(kit.error().message));
        text = kitToText(*kit);
    }
    if (const Status written = m_session.write(path, text); !written) emit problem(QString::fromStdString(written.error().message));
}

void Kit::askImport() {
    const QString path = m_prompts.openFile(this, tr("Import a kit"), tr("Kits and tables (*.json *.csv);;All files (*)"));
    if (!path.isEmpty()) importKit(path);
}

void Kit::importKit(const QString& path) {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial to take the kit into; open one first."));
    const auto text = readText(toPath(path));
    if (!text) return emit problem(QString::fromStdString(text.error().message));
    KitFile kit;
    std::vector<std::string> unknown, kept;
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        auto filters = filtersFromCsv(*text, path.toStdString(), &unknown);
        if (!filters) return emit problem(QString::fromStdString(filters.error().message));
        kit.filters = std::move(*filters);
    } else {
        auto read = kitFromText(*text, path.toStdString());
        if (!read) return emit problem(QString::fromStdString(read.error().message));
        kit = std::move(*read);
    }
    Trial changed = m_session.trial();
    if (const Status added = addToTrial(kit, changed, curveFolder()); !added) return emit problem(QString::fromStdString(added.error().message));
    // Telescope and place only where this trial says nothing: its frames were made with its own.
    changed.rig = filledFrom(changed.rig, kit.rig, kept);
    if (changed.site == Site{})
        changed.site = kit.site;
    else if (!(kit.site == Site{}) && !(kit.site == changed.site))
        kept.push_back(tr("the place %1").arg(QString::fromStdString(changed.site.name)).trimmed().toStdString());
    m_session.edit(tr("Import a kit"), changed);
    const auto list = [](const std::vector<std::string>& words) {
        QStringList out;
        for (const std::string& w : words) out << QString::fromStdString(w);
        return out.join(", ");
    };
    if (!kept.empty()) emit problem(tr("This trial keeps its own: %1.").arg(list(kept)));
    if (!unknown.empty()) emit problem(tr("Columns that say nothing to this program were passed over: %1.").arg(list(unknown)));
}

} // namespace caelumen
