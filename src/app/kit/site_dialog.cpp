#include "app/kit/site_dialog.h"

#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"

#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr std::array kLamps{&LampMix::highPressureSodium, &LampMix::lowPressureSodium, &LampMix::metalHalide, &LampMix::ledWarm, &LampMix::ledCool};
constexpr std::array kLampNames{"High-pressure sodium", "Low-pressure sodium", "Metal halide", "LED 2700 K", "LED 4000 K"};

QString horizonText(const std::vector<HorizonPoint>& horizon) {
    QString out;
    for (const HorizonPoint& p : horizon) out += QString("%1, %2\n").arg(p.azimuth_deg).arg(p.altitude_deg);
    return out;
}

QString domesText(const std::vector<LightDome>& domes) {
    QString out;
    for (const LightDome& d : domes) out += QString("%1, %2, %3\n").arg(d.azimuth_deg).arg(d.strength).arg(d.half_width_deg);
    return out;
}

} // namespace

Result<std::vector<LightDome>> domesFromText(const QString& text) {
    static const QRegularExpression number("-?[0-9]+(?:\\.[0-9]+)?");
    std::vector<LightDome> out;
    for (const QString& line : text.split('\n')) {
        if (line.trimmed().isEmpty()) continue;
        std::vector<double> v;
        for (auto it = number.globalMatch(line); it.hasNext();) v.push_back(it.next().captured().toDouble());
        if (v.empty() || v.size() > 3 || v[0] < 0 || v[0] > 360 || (v.size() > 1 && v[1] < 0) || (v.size() > 2 && (v[2] <= 0 || v[2] > 180)))
            return Error{fmt::format("\"{}\" is no light dome; write azimuth, strength and half width: 310, 1.4, 25.", line.trimmed().toStdString())};
        LightDome d;
        d.azimuth_deg = v[0];
        if (v.size() > 1) d.strength = v[1];
        if (v.size() > 2) d.half_width_deg = v[2];
        out.push_back(d);
    }
    return out;
}

/// The circle of the horizon laid flat: north, east, south, west.
class SiteDialog::HorizonDrawing : public QWidget {
public:
    explicit HorizonDrawing(SiteDialog& dialog)
        : m_dialog(dialog) {
        setCursor(Qt::CrossCursor);
        setToolTip(SiteDialog::tr("Draw the horizon with the mouse, five degrees at a time"));
        setFixedHeight(110);
        setAccessibleName(QObject::tr("Horizon"));
    }
    void show(std::vector<HorizonPoint> horizon, std::vector<LightDome> domes) {
        m_horizon = std::move(horizon);
        m_domes = std::move(domes);
        update();
    }

private:
    double floor() const { return height() - 18.0; }
    void mousePressEvent(QMouseEvent* event) override { drawAt(event->position()); }
    void mouseMoveEvent(QMouseEvent* event) override { drawAt(event->position()); }
    void drawAt(QPointF p) {
        const double azimuth = std::clamp(5 * std::round(360 * p.x() / width() / 5), 0.0, 355.0),
                     altitude = std::clamp(std::round(90 * (floor() - p.y()) / (floor() - 6)), 0.0, 90.0);
        m_dialog.setHorizonPoint({azimuth, altitude});
    }
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.fillRect(rect(), theme().plot);
        const double floor = this->floor();
        const auto place = [&](double azimuth, double altitude) { return QPointF(width() * azimuth / 360, floor - (floor - 6) * altitude / 90); };
        for (const LightDome& d : m_domes) {
            for (int x = 0; x < width(); ++x) {
                double away = std::abs(360.0 * x / width() - d.azimuth_deg);
                away = std::min(away, 360 - away);
                QColor glow = theme().warn;
                glow.setAlphaF(static_cast<float>(std::min(0.5, 0.25 * d.strength) * std::exp2(-std::pow(away / d.half_width_deg, 2))));
                QLinearGradient fade(0, floor, 0, 6);
                fade.setColorAt(0, glow);
                glow.setAlpha(0);
                fade.setColorAt(0.6, glow);
                p.fillRect(QRectF(x, 6, 1, floor - 6), fade);
            }
        }
        QPainterPath ground(place(0, -5));
        for (int a = 0; a <= 360; ++a) ground.lineTo(place(a, horizonAt(m_horizon, a)));
        ground.lineTo(place(360, -5));
        p.setPen(QPen(theme().dim, 1.2));
        p.setBrush(theme().raised);
        p.drawPath(ground);
        p.setPen(theme().dim);
        QFont font = p.font();
        font.setPixelSize(letters(11));
        p.setFont(font);
        const std::array names{tr("N"), tr("E"), tr("S"), tr("W")};
        for (int i = 0; i < 4; ++i) p.drawText(QPointF(width() * i / 4.0 + 4, height() - 4.0), names[static_cast<std::size_t>(i)]);
        p.setPen(QPen(theme().line, 1, Qt::DotLine));
        p.drawLine(place(0, 30), place(360, 30));
        p.setPen(theme().dim);
        p.drawText(place(346, 31), "30\u00B0");
    }

    SiteDialog& m_dialog;
    std::vector<HorizonPoint> m_horizon;
    std::vector<LightDome> m_domes;
};

SiteDialog::SiteDialog(const Site& site, Prompts& prompts, QWidget* parent)
    : QDialog(parent)
    , m_site(site)
    , m_prompts(prompts)
    , m_drawing(new HorizonDrawing(*this)) {
    setWindowTitle(tr("Place of the trial"));
    auto* form = new QFormLayout;
    m_name = new QLineEdit(QString::fromStdString(site.name));
    form->addRow(tr("Name"), m_name);
    m_latitude = field(form, tr("Latitude (\u00B0, north +)"), site.latitude_deg, {}, -90, 90);
    m_longitude = field(form, tr("Longitude (\u00B0, east +)"), site.longitude_deg, {}, -360, 360);
    m_elevation = field(form, tr("Elevation (m)"), site.elevation_m != 0 ? std::optional(site.elevation_m) : std::nullopt, {}, -500, 9000);
    m_bortle = field(form, tr("Bortle class"), site.bortle ? std::optional<double>(*site.bortle) : std::nullopt, {}, 1, 9);
    m_sqm = field(form, tr("Sky meter (mag/arcsec\u00B2)"), site.sqm, site.bortle ? std::optional(bortleBrightness(*site.bortle)) : std::nullopt, 5, 25);
    m_sqm.edit->setPlaceholderText(tr("as the class says"));
    auto* lamps = new QFormLayout;
    const LampMix usual;
    for (std::size_t i = 0; i < kLamps.size(); ++i) {
        m_lamps[i] = field(lamps, QObject::tr(kLampNames[i]), site.lamps ? std::optional(site.lamps.value().*kLamps[i]) : std::nullopt, {}, 0, 1e6);
        m_lamps[i].edit->setPlaceholderText(tr("%1 is usual").arg(usual.*kLamps[i]));
    }
    form->addRow(tr("Lamps, parts"), lamps);
    m_horizon = new QPlainTextEdit(horizonText(site.horizon));
    m_horizon->setPlaceholderText(tr("azimuth, altitude: 90, 12.5"));
    m_domes = new QPlainTextEdit(domesText(site.domes));
    m_domes->setPlaceholderText(tr("azimuth, strength, half width: 310, 1.4, 25"));
    for (QPlainTextEdit* edit : {m_horizon, m_domes}) {
        edit->setTabChangesFocus(true);
        edit->setFixedHeight(3 * edit->fontMetrics().lineSpacing() + 16);
        connect(edit, &QPlainTextEdit::textChanged, this, &SiteDialog::redraw);
    }
    auto* import = new QPushButton(tr("Import a profile \u2026"));
    import->setAutoDefault(false);
    connect(import, &QPushButton::clicked, this, &SiteDialog::importHorizon);
    form->addRow(tr("Horizon"), m_horizon);
    form->addRow(QString(), import);
    form->addRow(tr("Light domes"), m_domes);
    form->addRow(m_drawing);
    finish(this, form, m_problem = problemLabel());
    setMinimumWidth(520);
    redraw();
}

void SiteDialog::setHorizonPoint(HorizonPoint point) {
    auto read = parseHorizon(m_horizon->toPlainText().toStdString(), "the horizon");
    std::vector<HorizonPoint> points = read ? std::move(*read) : std::vector<HorizonPoint>{{0, 0}, {180, 0}};
    std::erase_if(points, [&](const HorizonPoint& p) { return std::abs(p.azimuth_deg - point.azimuth_deg) < 2.5; });
    points.insert(
        std::upper_bound(points.begin(), points.end(), point, [](const HorizonPoint& a, const HorizonPoint& b) { return a.azimuth_deg < b.azimuth_deg; }),
        point);
    m_horizon->setPlainText(horizonText(points));
}

void SiteDialog::redraw() {
    const auto horizon = parseHorizon(m_horizon->toPlainText().toStdString(), "the horizon");
    const auto domes = domesFromText(m_domes->toPlainText());
    m_drawing->show(horizon ? *horizon : std::vector<HorizonPoint>{}, domes ? *domes : std::vector<LightDome>{});
}

QWidget* SiteDialog::horizonDrawing() const {
    return m_drawing;
}

void SiteDialog::importHorizon() {
    const QString path = m_prompts.openFile(this, tr("Import a horizon profile"), tr("Tables (*.csv *.txt *.tsv);;All files (*)"));
    if (path.isEmpty()) return;
    const auto text = readText(toPath(path), 4U << 20U);
    if (!text) return complain(QString::fromStdString(text.error().message), m_horizon);
    const auto horizon = parseHorizon(*text, path.toStdString());
    if (!horizon) return complain(QString::fromStdString(horizon.error().message), m_horizon);
    m_problem->hide();
    m_horizon->setPlainText(horizonText(*horizon));
}

void SiteDialog::complain(const QString& text, QWidget* where) {
    m_problem->setText(text);
    m_problem->show();
    where->setFocus();
}

void SiteDialog::accept() {
    if (!check({{"Latitude", &m_latitude}, {"Longitude", &m_longitude}, {"Elevation", &m_elevation}, {"Bortle class", &m_bortle}, {"Sky meter", &m_sqm}},
               m_problem))
        return;
    for (std::size_t i = 0; i < kLamps.size(); ++i)
        if (!check({{kLampNames[i], &m_lamps[i]}}, m_problem)) return;
    std::vector<HorizonPoint> horizon;
    if (!m_horizon->toPlainText().trimmed().isEmpty()) {
        auto read = parseHorizon(m_horizon->toPlainText().toStdString(), "The horizon");
        if (!read) return complain(QString::fromStdString(read.error().message), m_horizon);
        horizon = std::move(*read);
    }
    auto domes = domesFromText(m_domes->toPlainText());
    if (!domes) return complain(QString::fromStdString(domes.error().message), m_domes);
    m_site.name = m_name->text().trimmed().toStdString();
    m_site.latitude_deg = get(m_latitude);
    m_site.longitude_deg = get(m_longitude);
    m_site.elevation_m = get(m_elevation).value_or(0);
    const auto bortle = get(m_bortle);
    m_site.bortle = bortle ? std::optional(static_cast<int>(std::lround(*bortle))) : std::nullopt;
    m_site.sqm = get(m_sqm);
    m_site.horizon = std::move(horizon);
    m_site.domes = std::move(*domes);
    LampMix mix{0, 0, 0, 0, 0};
    double all = 0;
    for (std::size_t i = 0; i < kLamps.size(); ++i) all += mix.*kLamps[i] = get(m_lamps[i]).value_or(0);
    m_site.lamps = all > 0 ? std::optional(mix) : std::nullopt;
    QDialog::accept();
}

} // namespace caelumen
