#include "app/palette/palette.h"

#include "app/palette/palette_panel.h"
#include "app/palette/palette_shelf.h"
#include "app/palette/palette_view.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/page_ink.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QDataStream>
#include <QFileInfo>
#include <QGuiApplication>
#include <QLabel>
#include <QMimeData>
#include <QSpinBox>
#include <QSplitter>
#include <QTextBrowser>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {

PaletteRoom::PaletteRoom(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_panel(new PalettePanel)
    , m_view(new PaletteView({[this](int tile, QSize room) { return m_model.image(static_cast<std::size_t>(tile), room); },
                              [this](int tile, const QRect& part) { return m_model.part(static_cast<std::size_t>(tile), part); }}))
    , m_dpi(new QSpinBox)
    , m_printSize(new QLabel)
    , m_page(new QTextBrowser)
    , m_across(new QSplitter) {
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->document()->setDocumentMargin(10);
    m_page->setAccessibleName(tr("What was done to the picture"));
    m_page->setMinimumWidth(200);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(4, 6, 4, 8);
    middleLayout->setSpacing(4);
    middleLayout->addWidget(buildTools());
    middleLayout->addWidget(m_view, 1);
    m_across->addWidget(m_panel);
    m_across->addWidget(middle);
    m_across->addWidget(m_page);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({250, 780, 250});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);
    m_panel->setRecipes(ownRecipes());
    m_panel->show(m_model.wish());
    connect(&m_model, &PaletteModel::changed, this, &PaletteRoom::fill);
    connect(&m_model, &PaletteModel::lookChanged, this, [this] {
        fillTiles();
        writePage();
    });
    connect(&m_model, &PaletteModel::failed, this, &PaletteRoom::problem);
    connect(&m_model, &PaletteModel::exported, this, [this](const QString& path) { emit told(tr("Exported to %1").arg(path)); });
    connect(m_view, &PaletteView::aloneChanged, this, &PaletteRoom::writePage);
    connect(m_view, &PaletteView::viewChanged, this, &PaletteRoom::fillTools);
    connect(m_panel, &PalettePanel::wished, this, [this] { m_model.setWish(m_panel->wish()); });
    connect(m_panel, &PalettePanel::recipeChosen, this, &PaletteRoom::chooseRecipe);
    connect(m_panel, &PalettePanel::looked, this, [this] { m_model.setLook(m_panel->light(), m_panel->depth()); });
    connect(m_panel, &PalettePanel::timed, this, [this] { m_model.setTime(m_panel->time(), m_panel->hours()); });
    connect(m_panel, &PalettePanel::eyesChosen, this, [this] { m_model.setEyes(m_panel->eyes()); });
    connect(m_panel, &PalettePanel::keepAsked, this, &PaletteRoom::keepRecipe);
    connect(m_panel, &PalettePanel::forgetAsked, this, &PaletteRoom::forgetRecipe);
    connect(m_panel, &PalettePanel::shareAsked, this, &PaletteRoom::shareRecipe);
    connect(m_panel, &PalettePanel::takeAsked, this, &PaletteRoom::takeRecipe);
}

QWidget* PaletteRoom::buildTools() {
    auto* tools = new QWidget;
    auto* row = new QHBoxLayout(tools);
    row->setContentsMargins(2, 0, 2, 0);
    const auto button = [&](const QString& text, const QString& tip, auto act) {
        QToolButton* b = quietButton(text, tip);
        b->setCheckable(true);
        b->setFocusPolicy(Qt::TabFocus);
        row->addWidget(b);
        connect(b, &QToolButton::clicked, this, [this, act] {
            act();
            fillTools();
        });
        return b;
    };
    m_curtain = button(tr("Curtain"), tr("Two pictures and an edge to drag between them (C); Up, Down: the one on the left"),
                       [this] { m_view->setCurtain(!m_view->curtain()); });
    row->addSpacing(10);
    m_whole = button(tr("Whole"), tr("Whole pictures (Escape)"), [this] { m_view->setZoom(PaletteView::Zoom::Whole); });
    m_pixels = button(tr("1:1"), tr("A pixel of the picture for a pixel of the screen, the same place in all (Z, double click)"),
                      [this] { m_view->setZoom(PaletteView::Zoom::Pixels); });
    m_print = button(tr("Print size"), tr("As large as it will be on paper"), [this] { m_view->setZoom(PaletteView::Zoom::Print); });
    row->addSpacing(10);
    m_dpi->setRange(60, 1200);
    m_dpi->setValue(300);
    m_dpi->setSuffix(tr(" dpi"));
    m_dpi->setAccessibleName(tr("Dots per inch in print"));
    connect(m_dpi, &QSpinBox::valueChanged, this, [this](int dpi) {
        m_view->setPrintDpi(dpi);
        fillTools();
    });
    row->addWidget(m_dpi);
    row->addWidget(m_printSize, 1);
    return tools;
}

void PaletteRoom::fillTools() {
    m_curtain->setChecked(m_view->curtain());
    m_whole->setChecked(m_view->zoom() == PaletteView::Zoom::Whole);
    m_pixels->setChecked(m_view->zoom() == PaletteView::Zoom::Pixels);
    m_print->setChecked(m_view->zoom() == PaletteView::Zoom::Print);
    m_curtain->setEnabled(m_view->tiles().size() > 1);
    const int at = chosen();
    const QSize size = at >= 0 ? m_model.sizeOf(static_cast<std::size_t>(at)) : QSize();
    const double cm = 2.54 / m_dpi->value();
    m_printSize->setText(
        size.isEmpty() ? QString() : tr("%1 \u00D7 %2 cm on paper").arg(localNumber(cm * size.width(), 'f', 1)).arg(localNumber(cm * size.height(), 'f', 1)));
}

void PaletteRoom::chooseRecipe(int index) {
    const PaletteWish wish = m_panel->wishAt(index);
    if (m_panel->recipeIsOwn())
        for (const Recipe& r : ownRecipes())
            if (r.name == m_panel->recipeName().toStdString()) m_panel->show(r.light, r.depth), m_model.setLook(r.light, r.depth);
    m_panel->show(wish);
    m_model.setWish(m_panel->wish());
}

void PaletteRoom::keepRecipe() {
    const QString name = m_prompts.text(this, tr("Keep this recipe"), tr("Name"), m_panel->recipeIsOwn() ? m_panel->recipeName() : QString()).trimmed();
    if (name.isEmpty()) return;
    for (int i = 0; i <= static_cast<int>(recipeStarts().size()); ++i)
        if (m_panel->startBox().itemText(i) == name) return emit problem(tr("\"%1\" is the name of a ready recipe; choose another.").arg(name));
    for (const Recipe& r : ownRecipes())
        if (QString::fromStdString(r.name) == name && !m_prompts.confirm(this, tr("There is a recipe \"%1\" already. Replace it?").arg(name), tr("Replace")))
            return;
    Recipe idea = ideaOf(m_panel->wish(), m_panel->light(), m_panel->depth());
    idea.name = name.toStdString();
    if (const Status kept = caelumen::keepRecipe(idea); !kept) return emit problem(QString::fromStdString(kept.error().message));
    PaletteWish wish = wishOf(idea);
    const PaletteWish now = m_panel->wish();
    wish.starsRun = now.starsRun, wish.oxygenRun = now.oxygenRun, wish.detailRun = now.detailRun;
    m_panel->setRecipes(ownRecipes());
    m_panel->show(wish);
    m_model.setWish(m_panel->wish());
    emit told(tr("The recipe \"%1\" is kept.").arg(name));
}

void PaletteRoom::forgetRecipe() {
    if (!m_panel->recipeIsOwn()) return;
    const QString name = m_panel->recipeName();
    if (!m_prompts.confirm(this, tr("Forget the recipe \"%1\"? Its matrix stays as your own.").arg(name), tr("Forget"))) return;
    PaletteWish wish = m_panel->wish();
    if (const Status gone = caelumen::forgetRecipe(name.toStdString()); !gone) return emit problem(QString::fromStdString(gone.error().message));
    wish.name.clear();
    m_panel->setRecipes(ownRecipes());
    m_panel->show(wish);
    m_model.setWish(m_panel->wish());
}

void PaletteRoom::shareRecipe() {
    const QString name = m_panel->recipeName();
    QString path = m_prompts.saveFile(this, tr("Share the recipe"), QString("%1.json").arg(QString(name).replace('/', '-')), tr("Recipe (*.json)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".json";
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    Recipe idea = ideaOf(m_panel->wish(), m_panel->light(), m_panel->depth());
    idea.name = name.toStdString();
    if (const Status written = m_session.write(path, jsonText(recipeIdeaToJson(idea), 1) + "\n"); !written)
        return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
}

void PaletteRoom::takeRecipe() {
    const QString path = m_prompts.openFile(this, tr("Take a recipe from a file"), tr("Recipe (*.json)"));
    if (path.isEmpty()) return;
    const auto text = readText(toPath(path), 1U << 20U);
    auto idea = text ? recipeIdeaFromText(*text, QFileInfo(path).fileName().toStdString()) : Result<Recipe>(text.error());
    if (!idea) return emit problem(QString::fromStdString(idea.error().message));
    if (idea->name.empty() || !isPlainName(idea->name + ".json")) idea->name = QFileInfo(path).completeBaseName().toStdString();
    for (const Recipe& r : ownRecipes())
        if (r.name == idea->name &&
            !m_prompts.confirm(this, tr("There is a recipe \"%1\" already. Replace it?").arg(QString::fromStdString(idea->name)), tr("Replace")))
            return;
    if (const Status kept = caelumen::keepRecipe(*idea); !kept) return emit problem(QString::fromStdString(kept.error().message));
    m_panel->setRecipes(ownRecipes());
    const int index = m_panel->startBox().findText(QString::fromStdString(idea->name), Qt::MatchExactly);
    m_panel->startBox().setCurrentIndex(index);
    chooseRecipe(index);
    emit told(tr("The recipe \"%1\" is kept.").arg(QString::fromStdString(idea->name)));
}

int PaletteRoom::chosen() const {
    if (m_view->alone() >= 0) return m_view->alone();
    for (std::size_t i = 0; i < m_model.shots().size(); ++i)
        if (m_model.shots()[i].prepared) return static_cast<int>(i);
    return -1;
}

void PaletteRoom::fill() {
    m_panel->setRuns(m_session.trial());
    m_panel->show(m_model.wish());
    fillTiles();
    fillTools();
    writePage();
}

void PaletteRoom::writePage() {
    using Tone = TextPage::Tone;
    TextPage page = screenPage();
    if (const int at = chosen(); at >= 0) {
        const PaletteModel::Shot& shot = m_model.shots()[static_cast<std::size_t>(at)];
        page.heading(shot.name);
        if (shot.prepared) {
            const ColourPicture told = m_model.told(static_cast<std::size_t>(at));
            page.lines(told.done);
            page.lines(told.notes, Tone::Warn);
            if (m_model.time() == PaletteTime::SameDepth)
                page.line(tr("Same depth: signal over noise of the brightest nebula, as the quickest filter has it in %1 h.")
                              .arg(localNumber(m_model.hours(), 'g', 3)));
        }
        page.line(tr("For the eye alone: nothing is measured on these pictures. All are shown with one look."), Tone::Dim);
    }
    m_page->setHtml(page.html());
    fillTools();
}

void PaletteRoom::fillTiles() {
    std::vector<PaletteView::Tile> tiles;
    const Run* base = m_session.trial().baseline();
    for (std::size_t i = 0; i < m_model.shots().size(); ++i) {
        const PaletteModel::Shot& s = m_model.shots()[i];
        PaletteView::Tile tile{QString("%1  %2").arg(s.run, s.name), s.problem.isEmpty() ? tr("on its way \u2026") : s.problem, {}};
        if (s.prepared) tile.size = m_model.sizeOf(i), tile.under = m_model.timeText(i);
        tile.style = runStyle(m_session.trial(), s.run.toStdString(), base && base->id == s.run.toStdString(), theme().isRed());
        tiles.push_back(std::move(tile));
    }
    m_view->show(std::move(tiles));
}

void PaletteRoom::askExport(const QString& what) {
    const int at = chosen();
    if (at < 0) return emit problem(tr("There is no picture yet."));
    const PaletteModel::Shot& shot = m_model.shots()[static_cast<std::size_t>(at)];
    struct Kind {
        QString ending, filter, suggestion;
    };
    const QString start = m_model.wish().start, title = QString::fromStdString(m_session.trial().title).replace('/', '-');
    const std::map<QString, Kind> kinds{
        {"png", {"png", tr("Picture (*.png)"), shot.filter + "-" + start}},        {"tif", {"tif", tr("Picture (*.tif)"), shot.filter + "-" + start}},
        {"json", {"json", tr("Recipe (*.json)"), shot.filter + "-" + start}},      {"webp", {"webp", tr("Animation (*.webp)"), title + "-" + start}},
        {"sheet", {"png", tr("Picture (*.png)"), title + "-" + start + "-sheet"}}, {"recipes", {"png", tr("Picture (*.png)"), shot.filter + "-recipes"}}};
    const Kind& kind = kinds.at(what);
    QString path = m_prompts.saveFile(this, tr("Export"), kind.suggestion + "." + kind.ending, kind.filter);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += "." + kind.ending;
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    if (what == "webp") return m_model.exportFlip(path);
    if (what == "sheet") return m_model.exportSheet(path);
    if (what == "recipes") return m_model.exportRecipes(shot.run.toStdString(), path);
    if (what != "json") return m_model.exportPicture(shot.run.toStdString(), path, m_dpi->value());
    const auto recipe = m_model.recipeFor(shot.run.toStdString());
    if (!recipe) return emit problem(QString::fromStdString(recipe.error().message));
    if (const Status written = m_session.write(path, jsonText(recipeToJson(*recipe), 1) + "\n"); !written)
        return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
}

void PaletteRoom::copyShown() {
    if (chosen() < 0) return emit problem(tr("There is no picture yet."));
    auto* copied = new QMimeData;
    copied->setImageData(m_view->shown());
    copied->setText(m_page->toPlainText());
    QGuiApplication::clipboard()->setMimeData(copied);
    emit told(tr("Copied, with what was done as text"));
}

void PaletteRoom::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model.setActive(true);
    fill();
}

void PaletteRoom::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_model.setActive(false);
}

void PaletteRoom::themeChanged() {
    if (isVisible()) fill();
}

QByteArray PaletteRoom::saveLayout() const {
    QByteArray out;
    QDataStream stream(&out, QIODevice::WriteOnly);
    Recipe idea = ideaOf(m_panel->wish(), m_panel->light(), m_panel->depth());
    stream << m_across->saveState() << m_panel->wish().start << (m_panel->recipeIsOwn() ? m_panel->recipeName() : QString())
           << QByteArray::fromStdString(jsonText(recipeIdeaToJson(idea))) << m_dpi->value();
    return out;
}

void PaletteRoom::restoreLayout(const QByteArray& state) {
    QDataStream stream(state);
    QByteArray splitter, recipe;
    QString start, name;
    int dpi = 0;
    stream >> splitter >> start >> name >> recipe >> dpi;
    if (stream.status() != QDataStream::Ok) return;
    m_across->restoreState(splitter);
    m_dpi->setValue(dpi);
    const auto idea = recipeIdeaFromText(recipe.toStdString(), "settings");
    if (!idea) return;
    PaletteWish wish = wishOf(*idea);
    wish.start = start, wish.name = name;
    if (start != "own") wish.map = {};
    m_panel->show(wish);
    m_panel->show(idea->light, idea->depth);
    m_model.setWish(m_panel->wish());
    m_model.setLook(idea->light, idea->depth);
}

} // namespace caelumen
