#include "app/palette/palette.h"

#include "app/palette/palette_view.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/json.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QScrollArea>
#include <QSlider>
#include <QSplitter>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

constexpr std::array kLights{"H", "O", "S"};
constexpr std::array kChannels{"R", "G", "B"};

QSlider* slider(int low, int high, int value, const QString& name) {
    auto* s = new QSlider(Qt::Horizontal);
    s->setRange(low, high);
    s->setValue(value);
    s->setAccessibleName(name);
    s->setMinimumWidth(60);
    return s;
}

} // namespace

PaletteRoom::PaletteRoom(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_start(new QComboBox)
    , m_stars(new QComboBox)
    , m_scale(new QComboBox)
    , m_sky(new QCheckBox(tr("take the sky off")))
    , m_galaxy(new QCheckBox(tr("also of galaxies")))
    , m_detail(new QCheckBox(tr("the baseline as brightness")))
    , m_amount(slider(0, 20, 20, tr("Desaturation of stars")))
    , m_share(slider(0, 20, 8, tr("Share of the brightness layer")))
    , m_light(slider(0, 100, 50, tr("Light of the sky")))
    , m_depth(slider(0, 100, 50, tr("Depth")))
    , m_view(new PaletteView)
    , m_page(new QTextBrowser)
    , m_across(new QSplitter) {
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->document()->setDocumentMargin(10);
    m_page->setAccessibleName(tr("What was done to the picture"));
    m_page->setMinimumWidth(220);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(4, 8, 4, 10);
    middleLayout->addWidget(m_view);
    m_across->addWidget(buildLeft());
    m_across->addWidget(middle);
    m_across->addWidget(m_page);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({236, 784, 260});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);
    connect(&m_model, &PaletteModel::changed, this, &PaletteRoom::fill);
    connect(&m_model, &PaletteModel::lookChanged, this, &PaletteRoom::fillTiles);
    connect(&m_model, &PaletteModel::failed, this, &PaletteRoom::problem);
    connect(&m_model, &PaletteModel::exported, this, [this](const QString& path) { emit told(tr("Exported to %1").arg(path)); });
    connect(m_view, &PaletteView::aloneChanged, this, &PaletteRoom::writePage);
}

QWidget* PaletteRoom::buildLeft() {
    for (const RecipeStart& s : recipeStarts()) m_start->addItem(tr(s.name.c_str()), QString::fromStdString(s.id));
    m_start->addItem(tr("Own matrix"), QString("own"));
    m_start->setAccessibleName(tr("Recipe"));
    for (const auto& [text, mode] : {std::pair{tr("kept"), PaletteStars::Keep},
                                     {tr("from the baseline"), PaletteStars::Replace},
                                     {tr("desaturated"), PaletteStars::Desaturate},
                                     {tr("taken out"), PaletteStars::None}})
        m_stars->addItem(text, static_cast<int>(mode));
    m_stars->setAccessibleName(tr("Stars"));
    for (const auto& [text, scale] :
         {std::pair{tr("equal signal"), PaletteScale::EqualSignal}, {tr("equal noise"), PaletteScale::EqualNoise}, {tr("as they are"), PaletteScale::None}})
        m_scale->addItem(text, static_cast<int>(scale));
    m_scale->setAccessibleName(tr("Balance of the light"));
    for (QComboBox* box : {m_start, m_stars, m_scale})
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon), box->setMinimumContentsLength(12);
    m_sky->setChecked(true);
    auto* panel = new QWidget;
    auto* form = new QFormLayout(panel);
    form->setContentsMargins(12, 10, 8, 10);
    form->setVerticalSpacing(6);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->addRow(headingLabel(tr("One recipe for all")));
    form->addRow(m_start);
    m_matrixBox = new QWidget;
    auto* matrix = new QGridLayout(m_matrixBox);
    matrix->setContentsMargins(0, 0, 0, 0);
    for (std::size_t l = 0; l < 3; ++l) matrix->addWidget(new QLabel(tr(kLights[l])), 0, static_cast<int>(l) + 1, Qt::AlignCenter);
    for (std::size_t c = 0; c < 3; ++c) {
        matrix->addWidget(new QLabel(tr(kChannels[c])), static_cast<int>(c) + 1, 0);
        for (std::size_t l = 0; l < 3; ++l) {
            m_matrix[c][l] = slider(0, 20, (c == 0 && l == 0) || (c > 0 && l == 1) ? 20 : 0, tr("%1 of %2").arg(kChannels[c], kLights[l]));
            m_matrix[c][l]->setMinimumWidth(40);
            matrix->addWidget(m_matrix[c][l], static_cast<int>(c) + 1, static_cast<int>(l) + 1);
            connect(m_matrix[c][l], &QSlider::valueChanged, this, &PaletteRoom::takeWish);
        }
    }
    form->addRow(m_matrixBox);
    form->addRow(tr("Balance"), m_scale);
    form->addRow(QString(), m_sky);
    form->addRow(headingLabel(tr("Stars")));
    form->addRow(tr("Stars"), m_stars);
    form->addRow(tr("Colour taken"), m_amount);
    form->addRow(QString(), m_galaxy);
    form->addRow(headingLabel(tr("Detail")));
    form->addRow(QString(), m_detail);
    form->addRow(tr("Share"), m_share);
    form->addRow(headingLabel(tr("One look for all")));
    form->addRow(tr("Light"), m_light);
    form->addRow(tr("Depth"), m_depth);
    for (QComboBox* box : {m_start, m_stars, m_scale}) connect(box, &QComboBox::activated, this, &PaletteRoom::takeWish);
    for (QCheckBox* box : {m_sky, m_galaxy, m_detail}) connect(box, &QCheckBox::toggled, this, &PaletteRoom::takeWish);
    for (QSlider* s : {m_amount, m_share}) connect(s, &QSlider::valueChanged, this, &PaletteRoom::takeWish);
    for (QSlider* s : {m_light, m_depth})
        connect(s, &QSlider::valueChanged, this, [this] { m_model.setLook(m_light->value() / 100.0, m_depth->value() / 100.0); });
    m_matrixBox->hide();
    auto* scroll = new QScrollArea;
    scroll->setWidget(panel);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setMinimumWidth(panel->minimumSizeHint().width() + 12);
    return scroll;
}

void PaletteRoom::takeWish() {
    PaletteWish w = m_model.wish();
    w.start = m_start->currentData().toString();
    for (std::size_t c = 0; c < 3; ++c) {
        w.map[c].clear();
        for (std::size_t l = 0; l < 3; ++l)
            if (m_matrix[c][l]->value() > 0) w.map[c][kLights[l]] = m_matrix[c][l]->value() / 20.0;
    }
    w.scale = static_cast<PaletteScale>(m_scale->currentData().toInt());
    w.background = m_sky->isChecked() ? PaletteBackground::Subtract : PaletteBackground::Keep;
    w.stars = static_cast<PaletteStars>(m_stars->currentData().toInt());
    w.starsAmount = m_amount->value() / 20.0;
    w.starsOnGalaxy = m_galaxy->isChecked();
    w.detail = m_detail->isChecked();
    w.detailShare = m_share->value() / 20.0;
    m_matrixBox->setVisible(w.start == "own");
    m_amount->setEnabled(w.stars == PaletteStars::Desaturate);
    m_galaxy->setEnabled(w.stars == PaletteStars::Replace || w.stars == PaletteStars::None);
    m_share->setEnabled(w.detail);
    m_model.setWish(w);
}

int PaletteRoom::chosen() const {
    if (m_view->alone() >= 0) return m_view->alone();
    for (std::size_t i = 0; i < m_model.shots().size(); ++i)
        if (m_model.shots()[i].preview) return static_cast<int>(i);
    return -1;
}

void PaletteRoom::fill() {
    m_amount->setEnabled(m_model.wish().stars == PaletteStars::Desaturate);
    m_galaxy->setEnabled(m_model.wish().stars == PaletteStars::Replace || m_model.wish().stars == PaletteStars::None);
    m_share->setEnabled(m_model.wish().detail);
    fillTiles();
    writePage();
}

void PaletteRoom::writePage() {
    QString text;
    if (const int at = chosen(); at >= 0) {
        const PaletteModel::Shot& shot = m_model.shots()[static_cast<std::size_t>(at)];
        text = QString("<p><b>%1</b></p>").arg(shot.name.toHtmlEscaped());
        if (shot.preview) {
            for (const std::string& line : shot.preview->done)
                text += QString("<p style='margin:2px 0;'>%1</p>").arg(QString::fromStdString(line).toHtmlEscaped());
            for (const std::string& note : shot.preview->notes)
                text += QString("<p style='margin:2px 0; color:%1;'>%2</p>").arg(theme().warn.name(), QString::fromStdString(note).toHtmlEscaped());
        }
        text += QString("<p style='color:%1; margin-top:8px;'>%2</p>")
                    .arg(theme().dim.name(), tr("For the eye alone: nothing is measured on these pictures. All are shown with one look."));
    }
    m_page->setHtml(text);
}

void PaletteRoom::fillTiles() {
    std::vector<PaletteView::Tile> tiles;
    for (std::size_t i = 0; i < m_model.shots().size(); ++i) {
        const PaletteModel::Shot& s = m_model.shots()[i];
        PaletteView::Tile tile{QString("%1  %2").arg(s.run, s.name), s.problem.isEmpty() ? tr("on its way \u2026") : s.problem, {}};
        if (s.preview) {
            tile.image = m_model.image(i);
            if (theme().isRed())
                for (int y = 0; y < tile.image.height(); ++y) {
                    auto* line = reinterpret_cast<QRgb*>(tile.image.scanLine(y));
                    for (int x = 0; x < tile.image.width(); ++x) line[x] = qRgb(qGray(line[x]), 0, 0);
                }
            const Run* run = m_session.trial().run(s.run.toStdString());
            tile.under = run && run->sub_exposure_s && run->sub_count ? tr("%1 \u00D7 %2 s").arg(*run->sub_count).arg(*run->sub_exposure_s) : QString();
        }
        tiles.push_back(std::move(tile));
    }
    m_view->show(std::move(tiles));
}

void PaletteRoom::askExport(const QString& ending) {
    const int at = chosen();
    if (at < 0) return emit problem(tr("There is no picture yet."));
    const PaletteModel::Shot& shot = m_model.shots()[static_cast<std::size_t>(at)];
    const QString filter = ending == "png" ? tr("Picture (*.png)") : ending == "tif" ? tr("Picture (*.tif)") : tr("Recipe (*.json)");
    QString path = m_prompts.saveFile(this, tr("Export the picture"), QString("%1-%2.%3").arg(shot.filter, m_model.wish().start, ending), filter);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += "." + ending;
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    if (ending != "json") return m_model.exportPicture(shot.run.toStdString(), path);
    const auto recipe = m_model.recipeFor(shot.run.toStdString());
    if (!recipe) return emit problem(QString::fromStdString(recipe.error().message));
    if (const Status written = m_session.write(path, jsonText(recipeToJson(*recipe), 1) + "\n"); !written)
        return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
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
    return m_across->saveState();
}

void PaletteRoom::restoreLayout(const QByteArray& state) {
    m_across->restoreState(state);
}

} // namespace caelumen
