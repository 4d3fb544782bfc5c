#pragma once

#include <QTimer>
#include <QWidget>

class QLabel;
class QProgressBar;
class QPushButton;

namespace caelumen {

/// What goes on and what stands under the cursor, in the free end of the menu bar: no strip of the window is kept empty for it.
class StatusLine : public QWidget {
    Q_OBJECT

public:
    explicit StatusLine(QWidget* parent = nullptr);
    void begin(const QString& doing);
    void progress(double part, const QString& doing);
    void end();
    void say(const QString& sentence); ///< for some seconds, or until work begins
    void setPixel(const QString& text);
    QString doing() const;
    QPushButton& cancelButton() { return *m_cancel; }
    QSize sizeHint() const override;

signals:
    void cancelled();

private:
    QLabel *m_doing, *m_pixel;
    QProgressBar* m_progress;
    QPushButton* m_cancel;
    QTimer m_quiet;
};

} // namespace caelumen
