#include "app/kit/filter_table.h"

#include "app/filter_curve.h"
#include "app/session.h"
#include "app/widgets/copied.h"
#include "app/widgets/theme.h"
#include "core/model/filter_kinds.h"
#include "core/optics/passband_report.h"
#include "core/optics/spacing.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QRegularExpression>
#include <QSettings>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString number(double v, int digits) {
    return localNumber(v, 'f', digits);
}

/// A cell that is sorted by its number where it has one.
class Cell : public QTableWidgetItem {
public:
    Cell(const QString& text, std::optional<double> value, bool isNumber)
        : QTableWidgetItem(text)
        , m_value(value) {
        setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        if (isNumber) setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    }
    bool operator<(const QTableWidgetItem& other) const override {
        const auto* o = dynamic_cast<const Cell*>(&other);
        if (!o || (!m_value && !o->m_value)) return text() < other.text();
        return m_value.value_or(1e300) < o->m_value.value_or(1e300); // what is not known comes last
    }

private:
    std::optional<double> m_value;
};

constexpr std::array kLineColumns{std::pair{EmissionLine::Halpha, "H\u03B1"}, std::pair{EmissionLine::OIII, "O III"}, std::pair{EmissionLine::SII, "S II"},
                                  std::pair{EmissionLine::Hbeta, "H\u03B2"}};

/// Where a row's figures come from, in two words.
QString shortSource(CurveSource source) {
    switch (source) {
    case CurveSource::Nothing:
        return QString::fromUtf8("\u2013");
    case CurveSource::Measured:
        return FilterTable::tr("a curve");
    case CurveSource::Makers:
        return FilterTable::tr("the maker's curve");
    case CurveSource::Claims:
        return FilterTable::tr("claims");
    case CurveSource::NoFilter:
        return FilterTable::tr("no filter");
    }
    return {};
}

} // namespace

Result<std::map<std::string, double>> ratesFromText(const QString& text) {
    static const QRegularExpression rate("^([A-Za-z]{2,4})[\\s=:]+([0-9]+(?:[.,][0-9]+)?)$");
    std::map<std::string, double> out;
    for (const QString& part : text.split(QRegularExpression("[;\n]|,\\s"), Qt::SkipEmptyParts)) {
        const auto m = rate.match(part.trimmed());
        const double value = m.captured(2).replace(',', '.').toDouble();
        if (!m.hasMatch() || value <= 0)
            return Error{(QObject::tr("\"%1\" is no rate; write what one unit is worth in yours: USD 0.92; GBP 1.17").arg(part.trimmed())).toStdString()};
        out[m.captured(1).toUpper().toStdString()] = value;
    }
    return out;
}

std::optional<double> priceOfEach(const Filter& filter, const std::string& currency, const std::map<std::string, double>& rates) {
    if (!filter.price) return std::nullopt;
    const double each = (filter.price->amount + filter.price->shipping) / std::max(1, filter.set_size);
    const std::string own = QString::fromStdString(filter.price->currency).toUpper().toStdString();
    if (own == QString::fromStdString(currency).toUpper().toStdString()) return each;
    const auto rate = rates.find(own);
    return rate == rates.end() ? std::nullopt : std::optional(each * rate->second);
}

FilterTable::FilterTable(Session& session, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_currency(new QLineEdit)
    , m_rates(new QLineEdit)
    , m_table(new QTableWidget)
    , m_focus(new QLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(4, 6, 4, 2);
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel(tr("Prices in")));
    row->addWidget(m_currency);
    row->addWidget(new QLabel(tr("worth")));
    row->addWidget(m_rates, 1);
    layout->addLayout(row);
    layout->addWidget(m_table, 1);
    layout->addWidget(m_focus);
    const QSettings settings;
    m_currency->setText(settings.value("kit/currency", "EUR").toString());
    m_currency->setFixedWidth(56);
    m_currency->setAccessibleName(tr("Currency"));
    m_rates->setText(settings.value("kit/rates").toString());
    m_rates->setPlaceholderText(tr("one unit of each other currency: USD 0.92; GBP 1.17"));
    m_rates->setAccessibleName(tr("Rates"));
    m_focus->setWordWrap(true);
    m_focus->setObjectName("dim");
    m_focus->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_table->setAccessibleName(tr("Filters side by side"));
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setTabKeyNavigation(false); // Tab goes on to the next control
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(letters(22));
    m_table->setFrameShape(QFrame::NoFrame);
    m_table->setShowGrid(false);
    m_table->setWordWrap(false);
    m_table->setToolTip(tr("Sorted by a click on a heading; Ctrl+C copies all of it"));
    m_table->installEventFilter(this);
    QStringList heads{tr("Filter"), tr("bands in the cone (nm)")};
    for (const auto& [line, name] : kLineColumns) heads << tr("%1 %").arg(QString::fromUtf8(name));
    heads << tr("stops to") << tr("700\u20131000") << tr("each") << tr("glass mm") << tr("clear mm") << tr("mount") << tr("certificate") << tr("known by");
    m_table->setColumnCount(static_cast<int>(heads.size()));
    m_table->setHorizontalHeaderLabels(heads);
    for (const auto& [column, tip] : {std::pair{6, tr("Optical density between the bands, in the mean")},
                                      {7, tr("Of the near infrared, what passes")},
                                      {8, tr("With shipping, for one filter of a set")},
                                      {10, tr("The diameter that light passes through")},
                                      {13, tr("Where the curve comes from")}})
        m_table->horizontalHeaderItem(column)->setToolTip(tip);
    m_later.setSingleShot(true);
    m_later.setInterval(150);
    connect(&m_later, &QTimer::timeout, this, &FilterTable::fill);
    for (QLineEdit* edit : {m_currency, m_rates}) connect(edit, &QLineEdit::editingFinished, this, &FilterTable::keepRates);
    connect(m_table, &QTableWidget::cellDoubleClicked, this, [this](int r, int) { emit chosen(m_table->item(r, 0)->data(Qt::UserRole).toString()); });
}

void FilterTable::keepRates() {
    QSettings settings;
    settings.setValue("kit/currency", m_currency->text().trimmed());
    settings.setValue("kit/rates", m_rates->text());
    fill();
}

void FilterTable::show(const LightCone& cone, std::optional<double> pixel_um) {
    m_cone = cone;
    m_pixel_um = pixel_um;
    m_stale = true;
    if (isVisible() && !m_later.isActive()) m_later.start();
}

void FilterTable::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (m_stale) fill();
}

bool FilterTable::eventFilter(QObject* of, QEvent* event) {
    if (of == m_table && event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->matches(QKeySequence::Copy)) {
        QGuiApplication::clipboard()->setText(text());
        return true;
    }
    return QWidget::eventFilter(of, event);
}

void FilterTable::fill() {
    m_stale = false;
    const auto rates = ratesFromText(m_rates->text());
    const std::string currency = m_currency->text().trimmed().toStdString();
    const auto& filters = m_session.trial().filters;
    m_table->setSortingEnabled(false);
    m_table->setRowCount(static_cast<int>(filters.size()));
    for (int r = 0; r < static_cast<int>(filters.size()); ++r) fillRow(r, filters[static_cast<std::size_t>(r)], currency, rates);
    m_table->setSortingEnabled(true);
    m_table->resizeColumnsToContents();
    m_table->setColumnWidth(0, std::min(170, m_table->columnWidth(0)));
    m_table->setColumnWidth(1, std::min(260, m_table->columnWidth(1)));
    m_focus->setText(rates ? focusText() : QString::fromStdString(rates.error().message));
}

void FilterTable::fillRow(int r, const Filter& f, const std::string& currency, const Rates& rates) {
    int c = 0;
    const auto put = [&](const QString& text, std::optional<double> value = {}, const QString& tip = {}) {
        auto* cell = new Cell(text, value, c >= 2 && c <= 10);
        cell->setToolTip(tip.isEmpty() ? text : tip);
        cell->setData(Qt::UserRole, QString::fromStdString(f.id));
        m_table->setItem(r, c++, cell);
    };
    const QString none = QString::fromUtf8("\u2013");
    const FilterCurve known = filterCurve(m_session, f);
    put(QString::fromStdString(f.name.empty() ? f.id : f.name));
    LightCone cone = m_cone;
    cone.effectiveIndex = f.effective_index.value_or(1.8);
    const PassbandReport report = known.curve.empty() ? PassbandReport{} : reportPassband(known.curve, cone, {0.2, false});
    QStringList bands;
    for (const PassbandReport::Row& row : report.bands)
        if (row.effective && known.source != CurveSource::NoFilter)
            bands << tr("%1 (%2)").arg(number(row.effective->center_nm, 1), number(row.effective->fwhm_nm, row.effective->fwhm_nm < 20 ? 1 : 0));
    put(bands.isEmpty() ? none : bands.join(", "));
    for (const auto& [line, name] : kLineColumns) {
        const auto row = std::find_if(report.lines.begin(), report.lines.end(), [line = line](const PassbandReport::LineRow& l) { return l.line == line; });
        if (row != report.lines.end() && row->covered)
            put(number(100 * row->effective, row->effective < 0.0995 ? 1 : 0), row->effective);
        else
            put(none);
    }
    const bool measured = known.source == CurveSource::Measured || known.source == CurveSource::Makers;
    const Leaks leaks = measured ? report.leaks : Leaks{};
    const auto putIfKnown = [&](std::optional<double> value, auto text) { put(value ? text(*value) : none, value); };
    putIfKnown(leaks.meanDensity, [](double v) { return tr("OD %1").arg(number(v, 1)); });
    putIfKnown(leaks.nearInfrared, [](double v) { return number(100 * v, 1) + " %"; });
    const auto each = rates ? priceOfEach(f, currency, *rates) : std::nullopt;
    if (each)
        put(number(*each, 0) + " " + QString::fromStdString(currency), *each);
    else
        put(none, {},
            !f.price ? tr("Its price is not noted.")
            : !rates ? QString::fromStdString(rates.error().message)
                     : tr("Its price is in %1; type its rate above.").arg(QString::fromStdString(f.price->currency)));
    putIfKnown(f.thickness_mm, [](double v) { return number(v, 2); });
    putIfKnown(f.clear_aperture_mm, [](double v) { return number(v, 1); });
    put(f.mount.empty() ? none : QString::fromStdString(f.mount));
    put(f.certificate.empty() ? none : QString::fromStdString(f.certificate));
    put(shortSource(known.source), {}, known.source == CurveSource::Measured ? QString() : curveSourceText(known.source));
}

QString FilterTable::focusText() const {
    const Filter *thin = nullptr, *thick = nullptr;
    for (const Filter& f : m_session.trial().filters) {
        const double glass = f.kind == filter_kind::none ? 0 : f.thickness_mm.value_or(-1);
        if (glass < 0) continue;
        const auto of = [](const Filter* x) { return x->kind == filter_kind::none ? 0 : *x->thickness_mm; };
        if (!thin || glass < of(thin)) thin = &f;
        if (!thick || glass > of(thick)) thick = &f;
    }
    if (!thin || thin == thick) return {};
    const double differ = focusShift_mm(thick->thickness_mm.value_or(0)) - (thin->kind == filter_kind::none ? 0 : focusShift_mm(*thin->thickness_mm));
    const double allowed = m_cone.fRatio * m_pixel_um.value_or(3.76) / 1000; // a blur of one pixel
    const QString names = tr("%1 and %2").arg(QString::fromStdString(thin->name), QString::fromStdString(thick->name));
    if (differ < allowed)
        return tr("Their glass moves the focus alike, within %1 mm: they are parfocal at f/%2.").arg(number(differ, 2), number(m_cone.fRatio, 1));
    return tr("Between %1 the focus moves by %2 mm, where f/%3 bears %4: refocus at each swap.")
        .arg(names, number(differ, 2), number(m_cone.fRatio, 1), number(allowed, 3));
}

QString FilterTable::text() const {
    QStringList head;
    for (int c = 0; c < m_table->columnCount(); ++c) head << m_table->horizontalHeaderItem(c)->text();
    QString out = copiedRow(head);
    for (int r = 0; r < m_table->rowCount(); ++r) {
        QStringList cells;
        for (int c = 0; c < m_table->columnCount(); ++c) cells << copiedName(m_table->item(r, c)->text().toStdString());
        out += copiedRow(cells);
    }
    return out;
}

} // namespace caelumen
