#include "app/night/field_view.h"

#include "app/night/night_model.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QPainter>

#include <algorithm>

namespace caelumen {

FieldView::FieldView(NightModel& model, QWidget* parent)
    : QWidget(parent)
    , m_model(model) {
    setMinimumSize(420, 280);
    setAccessibleName(tr("The target in the frame"));
    connect(&model, &NightModel::changed, this, qOverload<>(&QWidget::update));
}

void FieldView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.plot);
    QFont font = p.font();
    font.setPixelSize(letters(12));
    p.setFont(font);
    p.setPen(t.dim);
    const DeepSky& d = m_model.target();
    const auto [w, h] = m_model.field_deg();
    const double tw = d.width_arcmin / 60, th = d.height_arcmin / 60;
    if (!m_model.ready() || w <= 0) {
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
                   m_model.ready() ? tr("The field is drawn when focal length, pixel size and frame are known.") : m_model.problem());
        return;
    }
    const double scale = std::min((width() - 60) / std::max(w, tw), (height() - 100) / std::max(h, th));
    const QPointF middle(width() / 2.0, height() / 2.0);
    const QRectF frame(middle.x() - w * scale / 2, middle.y() - h * scale / 2, w * scale, h * scale);
    p.setBrush(t.panel);
    p.setPen(QPen(t.text, 1.5));
    p.drawRect(frame);
    if (tw > 0) {
        QColor fill = t.accent;
        fill.setAlpha(70);
        p.setBrush(fill);
        p.setPen(QPen(t.accent, 1.5));
        p.drawEllipse(middle, tw * scale / 2, th * scale / 2);
    }
    p.setPen(t.text);
    p.drawText(QRectF(0, 14, width(), 20), Qt::AlignCenter,
               QString::fromStdString(d.id + (d.name.empty() ? "" : ", " + d.name) + (d.kind.empty() ? "" : ", " + d.kind)));
    p.setPen(t.dim);
    QString size = tr("frame %1\u00B0 \u00D7 %2\u00B0").arg(localNumber(w, 'f', 2)).arg(localNumber(h, 'f', 2));
    size += tw > 0 ? tr(", target %1\u2032 \u00D7 %2\u2032 (which way it lies is not drawn)")
                         .arg(localNumber(d.width_arcmin, 'g', 3))
                         .arg(localNumber(d.height_arcmin, 'g', 3))
                   : tr(", the target's size is not known");
    p.drawText(QRectF(0, height() - 34.0, width(), 20), Qt::AlignCenter, size);
}

} // namespace caelumen
