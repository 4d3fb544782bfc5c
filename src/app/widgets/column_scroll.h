#pragma once

#include <QScrollArea>
#include <QScrollBar>

#include <algorithm>

namespace caelumen {

/// A column of controls that scrolls up and down only: it is never narrower than they need, whatever style or letters they get later.
class ColumnScroll : public QScrollArea {
public:
    explicit ColumnScroll(QWidget* parent = nullptr)
        : QScrollArea(parent) {
        setWidgetResizable(true);
        setFrameShape(QFrame::NoFrame);
        setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    }
    QSize minimumSizeHint() const override {
        constexpr int kApart = 9;
        QSize size = QScrollArea::minimumSizeHint();
        if (widget()) size.setWidth(std::max(size.width(), widget()->minimumSizeHint().width() + verticalScrollBar()->sizeHint().width() + kApart));
        return size;
    }
    QSize sizeHint() const override { return QScrollArea::sizeHint().expandedTo(minimumSizeHint()); }
};

} // namespace caelumen
