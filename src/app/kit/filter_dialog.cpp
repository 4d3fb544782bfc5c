#include "app/kit/filter_dialog.h"

#include "app/widgets/prompts.h"

#include <QComboBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QImageReader>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <fmt/format.h>

#include <cmath>

namespace caelumen {
namespace {

QPlainTextEdit* lines(const QString& text, int rows) {
    auto* edit = new QPlainTextEdit(text);
    edit->setTabChangesFocus(true);
    edit->setFixedHeight(rows * edit->fontMetrics().lineSpacing() + 16);
    return edit;
}

} // namespace

Result<std::vector<BandClaim>> claimsFromText(const QString& text) {
    std::vector<BandClaim> out;
    static const QRegularExpression number("[0-9]+(?:\\.[0-9]+)?");
    static const QRegularExpression decimalComma("(\\d),(\\d)");
    for (QString line : text.split('\n', Qt::SkipEmptyParts)) {
        // "656,3, 7" or "656,3; 7": a comma between digits is a decimal one where something else parts the numbers.
        if (line.contains(", ") || line.contains(';')) line.replace(decimalComma, "\\1.\\2");
        if (line.trimmed().isEmpty()) continue;
        std::vector<double> values;
        for (auto it = number.globalMatch(line); it.hasNext();) values.push_back(it.next().captured().toDouble());
        const auto bad = [&] {
            return Error{fmt::format("\"{}\" is no claimed band; write centre and, if known, width and peak: 656.3, 7, 90 %.", line.trimmed().toStdString())};
        };
        if (values.empty() || values.size() > 3 || values[0] < 100 || values[0] > 3000) return bad();
        BandClaim claim{values[0], std::nullopt, std::nullopt};
        if (values.size() > 1) claim.fwhm_nm = values[1];
        if (values.size() > 2) claim.peak = values[2] > 1.5 || line.contains('%') ? values[2] / 100 : values[2];
        if ((claim.fwhm_nm && !(*claim.fwhm_nm > 0 && *claim.fwhm_nm < 2000)) || (claim.peak && *claim.peak > 2)) return bad();
        out.push_back(claim);
    }
    return out;
}

QString claimsToText(const std::vector<BandClaim>& claims) {
    QStringList out;
    for (const BandClaim& c : claims) {
        QStringList parts{QString::number(c.center_nm, 'g', 6)};
        if (c.fwhm_nm) parts << QString::number(*c.fwhm_nm, 'g', 6);
        if (c.peak) parts << QString("%1 %").arg(100 * *c.peak, 0, 'g', 4);
        out << parts.join(", ");
    }
    return out.join('\n');
}

FilterDialog::FilterDialog(const Filter& filter, Prompts& prompts, QWidget* parent)
    : QDialog(parent)
    , m_filter(filter)
    , m_prompts(prompts)
    , m_photos(new QListWidget) {
    setWindowTitle(tr("Facts of %1").arg(QString::fromStdString(filter.name)));
    auto* form = new QFormLayout;
    m_name = new QLineEdit(QString::fromStdString(filter.name));
    form->addRow(tr("Name"), m_name);
    form->addRow(tr("Kind"), m_kind = kindBox(filter.kind));
    m_claims = lines(claimsToText(filter.claims), 4);
    m_claims->setPlaceholderText(tr("centre, width (nm), peak: 656.3, 7, 90 %"));
    form->addRow(tr("Claimed bands"), m_claims);
    m_density = field(form, tr("Claimed density"), filter.claimed_density, {}, 0.1, 9);
    m_density.edit->setPlaceholderText(tr("optical density between the bands"));
    m_madeFor = field(form, tr("Made for f-ratio"), filter.made_for_f_ratio, {}, 0.7, 100);
    m_madeFor.edit->setPlaceholderText(tr("not shifted for a fast cone"));
    m_index = field(form, tr("Effective index"), filter.effective_index, 1.8, 1.4, 2.2);
    m_index.edit->setPlaceholderText(tr("1.8 is usual"));
    m_thickness = field(form, tr("Thickness (mm)"), filter.thickness_mm, {}, 0.01, 100);
    m_clear = field(form, tr("Clear aperture (mm)"), filter.clear_aperture_mm, {}, 1, 1000);
    m_mount = new QLineEdit(QString::fromStdString(filter.mount));
    m_mount->setPlaceholderText(tr("size and thread"));
    form->addRow(tr("Mount"), m_mount);
    m_certificate = new QLineEdit(QString::fromStdString(filter.certificate));
    m_certificate->setPlaceholderText(tr("number or file of its own test"));
    form->addRow(tr("Certificate"), m_certificate);
    const auto& price = filter.price;
    m_price = field(form, tr("Price"), price ? std::optional(price->amount) : std::nullopt, {}, 0, 1e9);
    m_shipping = field(form, tr("Shipping"), price ? std::optional(price->shipping) : std::nullopt, {}, 0, 1e9);
    m_currency = new QLineEdit(price ? QString::fromStdString(price->currency) : QString());
    form->addRow(tr("Currency"), m_currency);
    m_setSize = field(form, tr("Filters in the set"), filter.set_size > 1 ? std::optional<double>(filter.set_size) : std::nullopt, {}, 1, 100);
    m_setSize.edit->setPlaceholderText("1");
    m_set = new QLineEdit(QString::fromStdString(filter.set));
    m_set->setPlaceholderText(tr("alike for all that are bought together"));
    form->addRow(tr("Set's name"), m_set);
    m_obtained = new QComboBox;
    m_obtained->setEditable(true);
    m_obtained->addItems({"", tr("bought"), tr("lent by the maker"), tr("given by the maker")});
    m_obtained->setCurrentText(QString::fromStdString(filter.obtained));
    form->addRow(tr("How obtained"), m_obtained);
    form->addRow(tr("Notes"), m_notes = lines(QString::fromStdString(filter.notes), 3));
    m_problem = problemLabel();
    m_photos->setViewMode(QListView::IconMode);
    m_photos->setIconSize({72, 54});
    m_photos->setFixedHeight(92);
    m_photos->setMovement(QListView::Static);
    m_photos->setAccessibleName(tr("Photos"));
    for (const std::string& photo : filter.photos) showPhoto(QString::fromStdString(photo));
    auto* add = new QPushButton(tr("Add a photo \u2026"));
    auto* remove = new QPushButton(tr("Remove the photo"));
    auto* buttons = new QHBoxLayout;
    for (QPushButton* b : {add, remove}) {
        b->setAutoDefault(false);
        buttons->addWidget(b);
    }
    connect(add, &QPushButton::clicked, this, &FilterDialog::addPhoto);
    connect(remove, &QPushButton::clicked, this, [this] { delete m_photos->currentItem(); });
    form->addRow(tr("Photos"), m_photos);
    form->addRow(QString(), buttons);
    finish(this, form, m_problem);
}

void FilterDialog::addPhoto() {
    const QString path = m_prompts.openFile(this, tr("Photo of the filter"), tr("Pictures (*.png *.jpg *.jpeg *.bmp *.webp);;All files (*)"));
    if (!path.isEmpty()) showPhoto(path);
}

/// Small: a photo of many megapixels is read at the size that is shown.
void FilterDialog::showPhoto(const QString& file) {
    QImageReader reader(file);
    reader.setAutoTransform(true);
    if (const QSize size = reader.size(); size.isValid()) reader.setScaledSize(size.scaled(144, 108, Qt::KeepAspectRatio));
    const QImage small = reader.read();
    if (small.isNull() && QFileInfo::exists(file)) return complain(tr("%1 cannot be read as a picture; save it as PNG or JPEG.").arg(file), m_photos);
    auto* item = new QListWidgetItem(QIcon(QPixmap::fromImage(small)), small.isNull() ? tr("missing") : QString());
    item->setData(Qt::UserRole, file);
    item->setToolTip(file);
    m_photos->addItem(item);
}

void FilterDialog::complain(const QString& text, QWidget* where) {
    m_problem->setText(text);
    m_problem->show();
    where->setFocus();
}

void FilterDialog::accept() {
    if (!check({{"Claimed density", &m_density},
                {"Made for f-ratio", &m_madeFor},
                {"Effective index", &m_index},
                {"Thickness", &m_thickness},
                {"Clear aperture", &m_clear},
                {"Price", &m_price},
                {"Shipping", &m_shipping},
                {"Filters in the set", &m_setSize}},
               m_problem))
        return;
    const auto claims = claimsFromText(m_claims->toPlainText());
    if (!claims) return complain(QString::fromStdString(claims.error().message), m_claims);
    if (m_name->text().trimmed().isEmpty()) return complain(tr("A filter needs a name."), m_name);
    m_filter.name = m_name->text().trimmed().toStdString();
    m_filter.kind = m_kind->currentData().toString().toStdString();
    m_filter.claims = *claims;
    m_filter.made_for_f_ratio = get(m_madeFor);
    m_filter.effective_index = get(m_index);
    m_filter.thickness_mm = get(m_thickness);
    m_filter.clear_aperture_mm = get(m_clear);
    m_filter.claimed_density = get(m_density);
    m_filter.mount = m_mount->text().trimmed().toStdString();
    m_filter.certificate = m_certificate->text().trimmed().toStdString();
    m_filter.price.reset();
    if (const auto amount = get(m_price), shipping = get(m_shipping); amount || shipping)
        m_filter.price = Price{amount.value_or(0), shipping.value_or(0), m_currency->text().trimmed().toStdString()};
    m_filter.set = m_set->text().trimmed().toStdString();
    m_filter.set_size = static_cast<int>(std::lround(get(m_setSize).value_or(1)));
    m_filter.obtained = m_obtained->currentText().trimmed().toStdString();
    m_filter.notes = m_notes->toPlainText().trimmed().toStdString();
    m_filter.photos.clear();
    for (int i = 0; i < m_photos->count(); ++i) m_filter.photos.push_back(m_photos->item(i)->data(Qt::UserRole).toString().toStdString());
    m_filter.guessed = false;
    QDialog::accept();
}

} // namespace caelumen
