#include "app/subs/transfer_dialog.h"

#include "app/session.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"
#include "report/number_text.h"

#include <QClipboard>
#include <QDialogButtonBox>
#include <QGuiApplication>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <cmath>

namespace caelumen {
namespace {

QString told(const std::optional<double>& value, const std::optional<double>& sigma) {
    return value ? withError(*value, sigma.value_or(0)) : QString::fromUtf8("\u2013");
}

} // namespace

TransferDialog::TransferDialog(Session& session, const std::vector<std::filesystem::path>& flats, const std::vector<std::filesystem::path>& biases,
                               const std::vector<std::filesystem::path>& lights, QWidget* parent)
    : QDialog(parent)
    , m_session(session)
    , m_table(new QTableWidget)
    , m_plot(new QCustomPlot)
    , m_words(new QLabel)
    , m_put(new QPushButton(tr("Put into the rig"))) {
    setWindowTitle(tr("Camera from flats and biases"));
    resize(760, 600);
    auto* layout = new QVBoxLayout(this);
    m_words->setWordWrap(true);
    m_words->setTextInteractionFlags(Qt::TextSelectableByMouse);
    plainTable(*m_table, tr("What the frames tell of the camera"));
    layout->addWidget(m_table, 2);
    m_plot->setMinimumHeight(220);
    layout->addWidget(m_plot, 3);
    layout->addWidget(m_words);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* copy = buttons->addButton(tr("Copy as a table"), QDialogButtonBox::ActionRole);
    buttons->addButton(m_put, QDialogButtonBox::ActionRole);
    m_put->setEnabled(false);
    layout->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(copy, &QPushButton::clicked, this, [this] { QGuiApplication::clipboard()->setText(text()); });
    connect(m_put, &QPushButton::clicked, this, &TransferDialog::putIntoRig);
    stylePlot(*m_plot);
    m_words->setText(tr("Reading %1 flats and %2 biases \u2026").arg(flats.size()).arg(biases.size()));
    connect(&m_jobs, &JobService::failed, m_words, &QLabel::setText);
    m_jobs.run("transfer", tr("Photon transfer"), [this, flats, biases, lights](const Job& job) -> JobService::Finish {
        auto found = photonTransfer(flats, biases, lights, job);
        if (!found) return [this, why = QString::fromStdString(found.error().message)] { m_words->setText(why); };
        return [this, f = std::move(*found)] { showFound(f); };
    });
}

void TransferDialog::showFound(const PhotonTransfer& found) {
    m_found = found;
    m_table->setColumnCount(5);
    m_table->setHorizontalHeaderLabels(
        {tr("colour site"), tr("gain, e\u207B/ADU"), tr("read noise, e\u207B"), tr("full well, e\u207B"), tr("bend at the top")});
    m_table->horizontalHeaderItem(4)->setToolTip(tr("How far the brightest flats lie above a line through the fainter ones; needs flats of three exposures"));
    m_table->setRowCount(0);
    const auto row = [&](const QStringList& cells, bool bold) {
        const int r = m_table->rowCount();
        m_table->insertRow(r);
        for (int c = 0; c < cells.size(); ++c) {
            auto* cell = new QTableWidgetItem(cells[c]);
            QFont font = cell->font();
            font.setBold(bold);
            cell->setFont(font);
            if (c > 0) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            m_table->setItem(r, c, cell);
        }
    };
    const QString none = QString::fromUtf8("\u2013");
    const auto plain = [&](const std::optional<double>& v) { return v ? localNumber(*v, 'g', 4) : none; };
    for (const SiteTransfer& s : found.sites)
        row({QString::fromStdString(s.site), told(s.gain_e_per_adu, s.gainSigma), told(s.readNoise_e, s.readNoiseSigma_e),
             told(s.fullWell_e, s.fullWellSigma_e),
             s.bend ? QString::fromUtf8("%1 \u00B1 %2 %").arg(localNumber(100 * *s.bend, 'f', 2)).arg(localNumber(100 * *s.bendSigma, 'f', 2)) : none},
            false);
    row({tr("all sites"), told(found.gain_e_per_adu, found.gainSigma), told(found.readNoise_e, found.readNoiseSigma_e),
         told(found.fullWell_e, found.fullWellSigma_e), none},
        true);
    row({tr("header says"), plain(found.header_e_per_adu), none, none, none}, false);
    const Rig& rig = m_session.trial().rig;
    row({tr("rig says"), plain(rig.gain_e_per_adu), plain(rig.read_noise_e), plain(rig.full_well_e), none}, false);
    m_table->resizeColumnsToContents();

    m_plot->clearPlottables();
    double most = 0;
    for (std::size_t k = 0; k < found.sites.size(); ++k) {
        const SiteTransfer& s = found.sites[k];
        QVector<double> x, y, e;
        for (const TransferPoint& p : s.curve) x << p.signal_adu, y << p.variance_adu2, e << p.sigma_adu2, most = std::max(most, p.signal_adu);
        auto* points = m_plot->addGraph();
        points->setData(x, y);
        points->setLineStyle(QCPGraph::lsNone);
        constexpr QCPScatterStyle::ScatterShape kShapes[] = {QCPScatterStyle::ssCircle, QCPScatterStyle::ssSquare, QCPScatterStyle::ssTriangle,
                                                             QCPScatterStyle::ssDiamond};
        points->setScatterStyle(QCPScatterStyle(kShapes[k % 4], theme().text, Qt::NoBrush, 6));
        points->setName(QString::fromStdString(s.site));
        auto* bars = new QCPErrorBars(m_plot->xAxis, m_plot->yAxis);
        bars->setDataPlottable(points);
        bars->setData(e);
        bars->setPen(QPen(theme().dim));
        bars->removeFromLegend();
    }
    auto* line = m_plot->addGraph();
    const double reading = found.readNoise_e ? std::pow(*found.readNoise_e / found.gain_e_per_adu, 2) : 0;
    line->setData({0.0, 1.05 * most}, {reading, reading + 1.05 * most / found.gain_e_per_adu});
    line->setPen(QPen(theme().accent, 1.4));
    line->setName(tr("signal / gain"));
    m_plot->xAxis->setLabel(tr("signal above the offset, ADU"));
    m_plot->yAxis->setLabel(tr("variance of one frame, ADU\u00B2"));
    stylePlot(*m_plot);
    legendAbove(*m_plot);
    m_plot->xAxis->setRange(0, 1.08 * most);
    m_plot->yAxis->setRange(0, 1.12 * (reading + most / found.gain_e_per_adu));
    m_plot->replot();

    QStringList words;
    for (const std::string& note : found.notes) words << QString::fromStdString(note);
    m_put->setEnabled(m_session.hasTrial() && m_session.canEdit());
    if (!m_session.hasTrial()) words << tr("Without a trial there is no rig to put them into: drop stacks, or plan a night, first.");
    m_words->setText(tr("From %1 pairs of flats and %2 of biases. ").arg(found.flatPairs).arg(found.biasPairs) + words.join(" "));
}

void TransferDialog::putIntoRig() {
    Trial changed = m_session.trial();
    // No more digits than the frames tell.
    const auto rounded = [](double v, double sigma) {
        const double step = std::pow(10, std::floor(std::log10(std::max(1e-12, sigma))) - 1);
        return std::round(v / step) * step;
    };
    changed.rig.gain_e_per_adu = rounded(m_found.gain_e_per_adu, m_found.gainSigma);
    if (m_found.readNoise_e) changed.rig.read_noise_e = rounded(*m_found.readNoise_e, *m_found.readNoiseSigma_e);
    if (m_found.fullWell_e) changed.rig.full_well_e = rounded(*m_found.fullWell_e, *m_found.fullWellSigma_e);
    m_session.edit(tr("Camera from flats and biases"), changed);
    m_put->setEnabled(false);
    m_put->setText(tr("It is in the rig"));
    for (int c = 1; c < 4; ++c) {
        const Rig& rig = m_session.trial().rig;
        const std::optional<double> v = c == 1 ? rig.gain_e_per_adu : c == 2 ? rig.read_noise_e : rig.full_well_e;
        m_table->item(m_table->rowCount() - 1, c)->setText(v ? localNumber(*v, 'g', 5) : QString::fromUtf8("\u2013"));
    }
}

QString TransferDialog::text() const {
    return tableText(*m_table);
}

} // namespace caelumen
