#pragma once

#include "app/widgets/form_fields.h"
#include "core/base/result.h"
#include "core/optics/camera.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QListWidget;
class QPlainTextEdit;

namespace caelumen {

class Prompts;

/// Gains as a person writes them, one setting a line: setting, electrons per ADU, read noise in electrons; the noise may be left out.
Result<std::vector<GainStep>> gainsFromText(const QString& text);
QString gainsToText(const std::vector<GainStep>& gains);

/// A camera of one's own: window, pixels, gains and a curve for each channel.
class CameraDialog : public QDialog {
    Q_OBJECT

public:
    CameraDialog(Camera camera, Prompts& prompts, QWidget* parent = nullptr);
    Camera camera() const { return m_camera; } ///< with the changes, once accepted
    void accept() override;
    void importCurve();   ///< for the channel chosen in the box
    void removeChannel(); ///< the one chosen in the list

private:
    QWidget* buildChannels();
    void fillChannels();
    void complain(const QString& text, QWidget* where);

    Camera m_camera;
    Prompts& m_prompts;
    QLineEdit *m_name, *m_window;
    QCheckBox* m_infrared;
    OptionalNumber m_pixel, m_fullWell, m_width, m_height;
    QPlainTextEdit* m_gains;
    QListWidget* m_channels;
    QComboBox* m_channel;
    QLabel* m_problem;
};

} // namespace caelumen
