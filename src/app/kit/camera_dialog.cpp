#include "app/kit/camera_dialog.h"

#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "report/local_number.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>
#include <fmt/format.h>

#include <algorithm>

namespace caelumen {
namespace {

const char* const kLetters = "RGBL";

QString shortly(const CameraChannel& channel) {
    const auto& t = channel.efficiency.transmission;
    const auto peak = static_cast<std::size_t>(std::max_element(t.begin(), t.end()) - t.begin());
    return CameraDialog::tr("%1: %n point(s), at most %2 % at %3 nm", nullptr, static_cast<int>(t.size()))
        .arg(QString::fromStdString(channel.name))
        .arg(localNumber(100 * t[peak], 'f', 0))
        .arg(localNumber(channel.efficiency.wavelength_nm[peak], 'f', 0));
}

} // namespace

Result<std::vector<GainStep>> gainsFromText(const QString& text) {
    static const QRegularExpression between("[;,\\s]+"), pairs("[;\\s]+");
    std::vector<GainStep> out;
    for (const QString& line : text.split('\n', Qt::SkipEmptyParts)) {
        // A comma parts the numbers unless blanks or semicolons do already: then it is a decimal comma.
        QStringList fields = line.trimmed().split(pairs, Qt::SkipEmptyParts);
        if (fields.isEmpty()) continue;
        const bool parted = fields.size() > 1 && std::none_of(fields.begin(), fields.end(), [](const QString& f) { return f.endsWith(','); });
        if (!parted) fields = line.trimmed().split(between, Qt::SkipEmptyParts);
        std::vector<double> v;
        bool good = fields.size() == 2 || fields.size() == 3;
        for (QString& f : fields) {
            bool ok = false;
            v.push_back(f.replace(',', '.').toDouble(&ok));
            good = good && ok;
        }
        if (!good || v[0] < 0 || v[1] <= 0 || (v.size() > 2 && v[2] < 0))
            return Error{fmt::format("\"{}\" is no gain; write setting, electrons per ADU and read noise: 100, 0.25, 1.5.", line.trimmed().toStdString())};
        out.push_back({v[0], v[1], v.size() > 2 ? std::optional(v[2]) : std::nullopt});
    }
    return out;
}

QString gainsToText(const std::vector<GainStep>& gains) {
    QString out;
    for (const GainStep& g : gains)
        out += QString("%1, %2").arg(g.setting).arg(g.e_per_adu) + (g.read_noise_e ? QString(", %1").arg(*g.read_noise_e) : QString()) + '\n';
    return out;
}

CameraDialog::CameraDialog(Camera camera, Prompts& prompts, QWidget* parent)
    : QDialog(parent)
    , m_camera(std::move(camera))
    , m_prompts(prompts)
    , m_name(new QLineEdit(QString::fromStdString(m_camera.name)))
    , m_window(new QLineEdit(QString::fromStdString(m_camera.window)))
    , m_infrared(new QCheckBox(tr("passes the near infrared")))
    , m_gains(new QPlainTextEdit(gainsToText(m_camera.gains)))
    , m_channels(new QListWidget)
    , m_channel(new QComboBox)
    , m_problem(problemLabel()) {
    setWindowTitle(tr("Camera"));
    auto* form = new QFormLayout;
    m_name->setCursorPosition(0);
    form->addRow(tr("Name"), m_name);
    form->addRow(tr("Window, in words"), m_window);
    m_infrared->setChecked(m_camera.passesInfrared);
    m_infrared->setToolTip(tr("Filters that leak infrared are warned about on such a camera"));
    form->addRow(QString(), m_infrared);
    m_pixel = field(form, tr("Pixel (\u00B5m)"), m_camera.pixel_um, {}, 0.1, 100);
    m_fullWell = field(form, tr("Full well (e\u207B)"), m_camera.full_well_e, {}, 100, 1e7);
    m_width = field(form, tr("Sensor, pixels across"), m_camera.width_px > 0 ? std::optional<double>(m_camera.width_px) : std::nullopt, {}, 1, 1e6);
    m_height = field(form, tr("Sensor, pixels down"), m_camera.height_px > 0 ? std::optional<double>(m_camera.height_px) : std::nullopt, {}, 1, 1e6);
    m_gains->setPlaceholderText(tr("setting, electrons per ADU, read noise \u2013 one a line"));
    m_gains->setToolTip(tr("One setting a line: 100, 0.25, 1.5"));
    m_gains->setAccessibleName(tr("Gains"));
    m_gains->setFixedHeight(84);
    m_gains->setTabChangesFocus(true);
    form->addRow(tr("Gains"), m_gains);
    form->addRow(tr("Channels"), buildChannels());
    finish(this, form, m_problem);
    setMinimumWidth(520);
    fillChannels();
}

QWidget* CameraDialog::buildChannels() {
    auto* box = new QWidget;
    auto* layout = new QVBoxLayout(box);
    layout->setContentsMargins(0, 0, 0, 0);
    m_channels->setFixedHeight(84);
    m_channels->setAccessibleName(tr("Channels"));
    layout->addWidget(m_channels);
    auto* row = new QHBoxLayout;
    for (const char* c = kLetters; *c; ++c) m_channel->addItem(QString(QChar(*c)));
    m_channel->setToolTip(tr("Red, green, blue, or the whole light of a monochrome camera"));
    m_channel->setAccessibleName(tr("Channel"));
    auto* import = new QPushButton(tr("Import its curve \u2026"));
    import->setToolTip(tr("Efficiency against wavelength (CSV), the window's glass counted in"));
    auto* remove = new QPushButton(tr("Remove the chosen one"));
    row->addWidget(m_channel);
    row->addWidget(import);
    row->addStretch(1);
    row->addWidget(remove);
    layout->addLayout(row);
    connect(import, &QPushButton::clicked, this, &CameraDialog::importCurve);
    connect(remove, &QPushButton::clicked, this, &CameraDialog::removeChannel);
    return box;
}

void CameraDialog::fillChannels() {
    m_channels->clear();
    for (const CameraChannel& c : m_camera.channels) m_channels->addItem(shortly(c));
}

void CameraDialog::importCurve() {
    const QString path =
        m_prompts.openFile(this, tr("Efficiency of channel %1").arg(m_channel->currentText()), tr("Curves (*.csv *.txt *.tsv *.dat);;All files (*)"));
    if (path.isEmpty()) return;
    auto curve = readCurve(toPath(path));
    if (!curve) return complain(QString::fromStdString(curve.error().message), m_channel);
    const std::string letter = m_channel->currentText().toStdString();
    const auto known = std::find_if(m_camera.channels.begin(), m_camera.channels.end(), [&](const CameraChannel& c) { return c.name == letter; });
    if (known != m_camera.channels.end())
        known->efficiency = std::move(*curve);
    else
        m_camera.channels.push_back({letter, std::move(*curve)});
    m_problem->hide();
    fillChannels();
}

void CameraDialog::removeChannel() {
    const int row = m_channels->currentRow();
    if (row < 0) return complain(tr("Choose a channel in the list first."), m_channels);
    m_camera.channels.erase(m_camera.channels.begin() + row);
    fillChannels();
}

void CameraDialog::complain(const QString& text, QWidget* where) {
    m_problem->setText(text);
    m_problem->show();
    where->setFocus();
}

void CameraDialog::accept() {
    if (m_name->text().trimmed().isEmpty()) return complain(tr("Give the camera a name."), m_name);
    if (!check({{"Pixel", &m_pixel}, {"Full well", &m_fullWell}, {"Pixels across", &m_width}, {"Pixels down", &m_height}}, m_problem)) return;
    auto gains = gainsFromText(m_gains->toPlainText());
    if (!gains) return complain(QString::fromStdString(gains.error().message), m_gains);
    if (m_camera.channels.empty()) return complain(tr("A camera needs at least one channel; import the curve of one."), m_channel);
    m_camera.name = m_name->text().trimmed().toStdString();
    m_camera.window = m_window->text().trimmed().toStdString();
    m_camera.passesInfrared = m_infrared->isChecked();
    m_camera.pixel_um = get(m_pixel);
    m_camera.full_well_e = get(m_fullWell);
    m_camera.width_px = static_cast<int>(std::lround(get(m_width).value_or(0)));
    m_camera.height_px = static_cast<int>(std::lround(get(m_height).value_or(0)));
    m_camera.gains = std::move(*gains);
    QDialog::accept();
}

} // namespace caelumen
