#pragma once

#include <QObject>
#include <QString>

#include <optional>
#include <vector>

namespace caelumen {

/// What the program did, line by line with times, in a file that a person can copy into a report of a fault. The home folder is written as ~. The file keeps to
/// a quarter of a megabyte. From any thread.
void noteEvent(const QString& what);
QString eventLogFile();
QString eventLogText(); ///< with the program's and the system's versions above it
/// Warnings of libraries go into it too, besides where they went.
void hearWarnings();

/// What this process is about, in a small file that is gone when it ends as it should.
class RunningMark : public QObject {
public:
    /// What a process that is no longer there left behind.
    struct Left {
        QString campaign, doing, since;
    };

    RunningMark();
    ~RunningMark() override;
    void setCampaign(const QString& path);
    void setDoing(const QString& what); ///< empty: nothing in particular

    /// Of processes that ended without closing; each is told once.
    static std::vector<Left> takeLeft();

private:
    void write();
    QString m_file, m_since, m_campaign, m_doing;
};

} // namespace caelumen
