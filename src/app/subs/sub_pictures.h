#pragma once

#include "app/job_service.h"
#include "core/prepare/prepare_run.h"

#include <QImage>
#include <QObject>

#include <memory>
#include <vector>

namespace caelumen {

/// Pictures of subs at their own size, read and painted away from the interface thread; the last few are kept.
class SubPictures : public QObject {
    Q_OBJECT

public:
    explicit SubPictures(QObject* parent = nullptr);

    /// Paints a file in the stretch of `like`, so that a brighter sky looks brighter; ready() follows. The last one asked for is the one that is wanted.
    void want(const std::string& file, const SubFigures& like, std::shared_ptr<const SubMeasurer> measurer);
    QImage of(const std::string& file) const; ///< null while it is not there in the theme's light
    void clear() { m_pictures.clear(); }

signals:
    void ready(const std::string& file);
    void problem(const QString& sentence);

private:
    struct Picture {
        std::string file;
        QImage image;
        bool red = false; ///< painted for the red theme
    };
    JobService m_jobs;
    std::vector<Picture> m_pictures;
    Picture m_wanted; ///< the one being read
};

} // namespace caelumen
