#pragma once

#include "app/job_service.h"
#include "core/prepare/photon_transfer.h"

#include <QDialog>

class QCustomPlot;
class QLabel;
class QPushButton;
class QTableWidget;

namespace caelumen {

class Session;

/// Gain, read noise and full well of the camera from flats and biases that are here, beside what the header and the rig say; one click puts them into the rig.
class TransferDialog : public QDialog {
    Q_OBJECT

public:
    TransferDialog(Session& session, const std::vector<std::filesystem::path>& flats, const std::vector<std::filesystem::path>& biases,
                   const std::vector<std::filesystem::path>& lights, QWidget* parent = nullptr);

    bool busy() const { return m_jobs.busy(); }
    QTableWidget& table() { return *m_table; }
    QLabel& words() { return *m_words; }
    QPushButton& put() { return *m_put; }
    QString text() const; ///< the table, tab-separated

private:
    void showFound(const PhotonTransfer& found);
    void putIntoRig();
    Session& m_session;
    JobService m_jobs;
    PhotonTransfer m_found;
    QTableWidget* m_table;
    QCustomPlot* m_plot;
    QLabel* m_words;
    QPushButton* m_put;
};

} // namespace caelumen
