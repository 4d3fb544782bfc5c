#include "app/kit/ghost_panel.h"

#include "app/widgets/theme.h"
#include "core/base/pixel_scale.h"
#include "core/compare/gaps.h"
#include "core/optics/spacing.h"
#include "report/local_number.h"

#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <map>

namespace caelumen {
namespace {

struct Ghost {
    QString name;
    double radius_px = 0;
};

std::vector<Ghost> ghostsOf(const GhostPanel::Content& c) {
    std::vector<Ghost> out;
    if (!c.rig.pixel_um) return out;
    for (const auto& [name, mm] : c.rig.gaps_mm) out.push_back({QString::fromStdString(name), ghostRadius_px(mm, *c.rig.pixel_um, c.fRatio)});
    if (c.glass_mm) out.push_back({QObject::tr("inside the filter"), ghostRadius_px(glassAsAir_mm(*c.glass_mm), *c.rig.pixel_um, c.fRatio)});
    std::sort(out.begin(), out.end(), [](const Ghost& a, const Ghost& b) { return a.radius_px > b.radius_px; });
    return out;
}

} // namespace

/// The sensor with a star in its middle and the discs around it, one scale for all.
class GhostPanel::Drawing : public QWidget {
public:
    explicit Drawing(const Content& content)
        : m_content(content) {
        setMinimumSize(220, 120);
        setAccessibleName(QObject::tr("Halos on the sensor, to scale"));
    }

private:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.fillRect(rect(), theme().plot);
        p.setRenderHint(QPainter::Antialiasing);
        const auto ghosts = ghostsOf(m_content);
        QFont font = p.font();
        font.setPixelSize(letters(11));
        p.setFont(font);
        p.setPen(theme().dim);
        if (ghosts.empty()) {
            p.drawText(rect().adjusted(12, 0, -12, 0), Qt::AlignCenter | Qt::TextWordWrap,
                       m_content.rig.pixel_um ? QObject::tr("No gap is known. Add the distances between reflecting surfaces on the right.")
                                              : QObject::tr("The pixel size is unknown: give it under the trial's facts on the Bench."));
            return;
        }
        const double widest = 2 * ghosts.front().radius_px;
        const QSizeF sensor = m_content.sensor.isEmpty() ? QSizeF(1.6 * widest, 1.2 * widest) : QSizeF(m_content.sensor);
        // Names stand on the right, with room of their own.
        const double names = 0.34 * width(), reach = std::max({sensor.width(), widest, 1.0}), tall = std::max({sensor.height(), widest, 1.0});
        const double scale = std::min((width() - names - 24) / reach, (height() - 34.0) / tall);
        const QPointF middle((width() - names) / 2, (height() - 14) / 2.0);
        const QRectF frame(middle.x() - scale * sensor.width() / 2, middle.y() - scale * sensor.height() / 2, scale * sensor.width(), scale * sensor.height());
        if (!m_content.sensor.isEmpty()) {
            p.setPen(QPen(theme().line, 1));
            p.setBrush(theme().window);
            p.drawRect(frame);
            p.setPen(theme().dim);
            p.drawText(QPointF(6, height() - 6), QObject::tr("%1 \u00D7 %2 px").arg(m_content.sensor.width()).arg(m_content.sensor.height()));
        }
        double y = 16;
        for (const Ghost& g : ghosts) {
            const double r = scale * g.radius_px;
            QColor fill = theme().accent;
            fill.setAlpha(38);
            p.setPen(QPen(theme().accent, 1.2));
            p.setBrush(fill);
            QPainterPath ring;
            ring.addEllipse(middle, r, r);
            if (m_content.obstruction > 0) ring.addEllipse(middle, r * m_content.obstruction, r * m_content.obstruction);
            p.drawPath(ring);
            const double x = width() - names + 6;
            p.setPen(QPen(theme().line, 1, Qt::DotLine));
            const double at = std::clamp((y - 4 - middle.y()) / std::max(1.0, r), -0.9, 0.9);
            p.drawLine(QPointF(middle.x() + r * std::sqrt(1 - at * at), middle.y() + r * at), QPointF(x - 4, y - 4));
            p.setPen(theme().text);
            p.drawText(QPointF(x, y), p.fontMetrics().elidedText(g.name, Qt::ElideRight, static_cast<int>(names) - 10));
            p.setPen(theme().dim);
            const auto& rig = m_content.rig;
            p.drawText(QPointF(x, y + 14), rig.focal_length_mm
                                               ? QObject::tr("%1 px, %2\u2033")
                                                     .arg(localNumber(2 * g.radius_px, 'f', 0))
                                                     .arg(localNumber(2 * g.radius_px * arcsecPerPixel(*rig.pixel_um, *rig.focal_length_mm), 'f', 0))
                                               : QObject::tr("%1 px").arg(localNumber(2 * g.radius_px, 'f', 0)));
            y += 36;
        }
        p.setPen(Qt::NoPen);
        p.setBrush(theme().text);
        p.drawEllipse(middle, 2, 2);
    }

    const Content& m_content;
};

GhostPanel::GhostPanel(QWidget* parent)
    : QWidget(parent)
    , m_drawing(new Drawing(m_content))
    , m_gaps(new QTableWidget(0, 2))
    , m_diameter(new QDoubleSpinBox)
    , m_gap(new QDoubleSpinBox)
    , m_answer(new QLabel) {
    m_gaps->setHorizontalHeaderLabels({tr("Gap between surfaces"), tr("mm")});
    m_gaps->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_gaps->horizontalHeader()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    m_gaps->verticalHeader()->hide();
    m_gaps->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_gaps->setTabKeyNavigation(false);
    m_gaps->setAccessibleName(tr("Gaps of the rig"));
    auto* add = new QPushButton(tr("Add"));
    auto* remove = new QPushButton(tr("Remove"));
    m_diameter->setRange(0, 1e6);
    m_diameter->setDecimals(0);
    m_diameter->setSuffix(tr(" px"));
    m_diameter->setToolTip(tr("Diameter of a halo seen in a frame"));
    m_gap->setRange(0, 1e4);
    m_gap->setDecimals(2);
    m_gap->setSuffix(tr(" mm"));
    m_gap->setToolTip(tr("The gap in air between two surfaces that makes it"));
    m_answer->setWordWrap(true);
    m_answer->setObjectName("dim");

    auto* right = new QVBoxLayout;
    right->addWidget(m_gaps, 1);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(add);
    buttons->addWidget(remove);
    right->addLayout(buttons);
    auto* both = new QHBoxLayout;
    both->addWidget(new QLabel(tr("Halo")));
    both->addWidget(m_diameter, 1);
    both->addWidget(new QLabel(tr("is gap")));
    both->addWidget(m_gap, 1);
    right->addLayout(both);
    right->addWidget(m_answer);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_drawing, 3);
    layout->addLayout(right, 2);

    connect(m_gaps, &QTableWidget::cellChanged, this, &GhostPanel::readTable);
    connect(add, &QPushButton::clicked, this, &GhostPanel::addRow);
    connect(remove, &QPushButton::clicked, this, &GhostPanel::removeRow);
    connect(m_diameter, &QDoubleSpinBox::valueChanged, this, [this] { solve(true); });
    connect(m_gap, &QDoubleSpinBox::valueChanged, this, [this] { solve(false); });
}

QString GhostPanel::answer() const {
    return m_answer->text();
}

void GhostPanel::show(const Content& content) {
    const bool changed = m_content.rig.gaps_mm != content.rig.gaps_mm;
    m_content = content;
    if (changed) fillTable(); // not while a cell is being typed and the cone moves
    solve(true);
    m_drawing->update();
}

void GhostPanel::fillTable() {
    const QSignalBlocker quiet(m_gaps);
    m_gaps->setRowCount(static_cast<int>(m_content.rig.gaps_mm.size()));
    int row = 0;
    for (const auto& [name, mm] : m_content.rig.gaps_mm) {
        m_gaps->setItem(row, 0, new QTableWidgetItem(QString::fromStdString(name)));
        m_gaps->setItem(row++, 1, new QTableWidgetItem(localNumber(mm, 'g', 6)));
    }
}

void GhostPanel::readTable() {
    std::map<std::string, double> gaps;
    for (int row = 0; row < m_gaps->rowCount(); ++row) {
        const auto *name = m_gaps->item(row, 0), *mm = m_gaps->item(row, 1);
        if (!name || !mm || name->text().trimmed().isEmpty() || mm->text().trimmed().isEmpty()) continue; // not finished yet
        bool number = false;
        const double value = mm->text().trimmed().replace(',', '.').toDouble(&number);
        if (!number || !(value > 0) || value > 1e4) {
            m_answer->setText(tr("\"%1\" is no distance; give millimetres above zero.").arg(mm->text()));
            return fillTable();
        }
        gaps[name->text().trimmed().toStdString()] = value;
    }
    if (gaps != m_content.rig.gaps_mm) emit gapsEdited(gaps);
}

void GhostPanel::addRow() {
    const int row = m_gaps->rowCount();
    {
        const QSignalBlocker quiet(m_gaps);
        m_gaps->insertRow(row);
        QString name = tr("filter to window");
        for (int n = 2; m_content.rig.gaps_mm.count(name.toStdString()); ++n) name = tr("gap %1").arg(n);
        m_gaps->setItem(row, 0, new QTableWidgetItem(name));
        m_gaps->setItem(row, 1, new QTableWidgetItem);
    }
    m_gaps->setCurrentCell(row, 1);
    m_gaps->editItem(m_gaps->item(row, 1));
}

void GhostPanel::removeRow() {
    if (m_gaps->currentRow() < 0) return;
    {
        const QSignalBlocker quiet(m_gaps);
        m_gaps->removeRow(m_gaps->currentRow());
    }
    readTable();
}

void GhostPanel::solve(bool fromDiameter) {
    const QSignalBlocker a(m_diameter), b(m_gap);
    if (!m_content.rig.pixel_um) return m_answer->setText(tr("The pixel size is unknown: give it under the trial's facts on the Bench."));
    if (fromDiameter)
        m_gap->setValue(ghostGap_mm(m_diameter->value() / 2, *m_content.rig.pixel_um, m_content.fRatio));
    else
        m_diameter->setValue(2 * ghostRadius_px(m_gap->value(), *m_content.rig.pixel_um, m_content.fRatio));
    if (!(m_diameter->value() > 0)) return m_answer->setText(tr("Type the diameter of a halo, or a gap."));
    Rig rig = m_content.rig;
    if (m_content.glass_mm) rig.filter_thickness_mm = m_content.glass_mm;
    QString said = QString::fromStdString(explainGap(m_gap->value(), rig));
    said[0] = said[0].toUpper();
    m_answer->setText(said + ".");
}

} // namespace caelumen
