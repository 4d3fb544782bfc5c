#pragma once

#include "core/grid/predicted.h"

#include <QImage>
#include <QWidget>

namespace caelumen {

/// A predicted picture beside the baseline's: one at a time, flipped by a click or Space, in the same place. It says that it is predicted, and for what.
class PredictedView : public QWidget {
    Q_OBJECT

public:
    explicit PredictedView(QWidget* parent = nullptr);
    void show(const std::array<PredictedPicture, 2>& pictures, const QString& baseline, const QString& filter, const QString& of);
    void say(const QString& sentence); ///< instead of pictures
    bool showsBaseline() const { return m_baseline; }
    bool hasPictures() const { return !m_images[0].isNull(); }
    void flip();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    std::array<QImage, 2> m_images; ///< the baseline's first
    std::array<QString, 2> m_names;
    std::array<double, 2> m_snr{};
    QString m_of, m_sentence;
    bool m_baseline = false;
};

} // namespace caelumen
