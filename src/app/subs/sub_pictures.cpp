#include "app/subs/sub_pictures.h"

#include "app/widgets/theme.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr std::size_t kKept = 8;

/// Greys of a sub: all subs of a run in the stretch of one, so that a brighter sky looks brighter.
QImage paint(const std::vector<Plane>& planes, const std::vector<std::string>& channels, const SubFigures& like, bool red) {
    const int w = planes[0].width(), h = planes[0].height();
    QImage out(w, h, QImage::Format_RGB32);
    // The sky of the one is grey; the noisiest channel sets the scale of all.
    double noise = 1e-3;
    for (const std::string& c : channels) noise = std::max(noise, like.noise.at(c));
    const auto soft = static_cast<float>(4 * noise), below = static_cast<float>(5 * noise), white = std::asinh(static_cast<float>(150 * noise) / soft);
    std::vector<float> black;
    for (const std::string& c : channels) black.push_back(static_cast<float>(like.level.at(c)) - below);
    for (int y = 0; y < h; ++y) {
        auto* line = reinterpret_cast<QRgb*>(out.scanLine(y));
        for (int x = 0; x < w; ++x) {
            int grey[3] = {0, 0, 0};
            for (std::size_t c = 0; c < planes.size(); ++c) {
                const float v = planes[c].at(x, y);
                grey[c] = v == v ? static_cast<int>(255 * std::clamp(std::asinh((v - black[c]) / soft) / white, 0.0F, 1.0F)) : 0;
            }
            if (planes.size() == 1) grey[1] = grey[2] = grey[0];
            line[x] = red ? qRgb((grey[0] + grey[1] + grey[2]) / 3, 0, 0) : qRgb(grey[0], grey[1], grey[2]);
        }
    }
    return out;
}

} // namespace

SubPictures::SubPictures(QObject* parent)
    : QObject(parent) {
    connect(&m_jobs, &JobService::failed, this, &SubPictures::problem);
}

void SubPictures::want(const std::string& file, const SubFigures& like, std::shared_ptr<const SubMeasurer> measurer) {
    const bool red = theme().isRed();
    if (!of(file).isNull() || like.level.empty() || (m_jobs.busy("picture") && m_wanted.file == file && m_wanted.red == red)) return;
    m_wanted = {file, {}, red};
    m_jobs.run("picture", tr("Reading a sub"), [this, file, like, measurer = std::move(measurer), red](const Job&) -> JobService::Finish {
        const auto pixels = measurer->pixels(file);
        if (!pixels) return {};
        const auto planes = pixels->planes();
        if (!planes) return {};
        QImage image = paint(*planes, measurer->like().channels, like, red);
        return [this, file, red, image = std::move(image)] {
            m_pictures.push_back({file, image, red});
            if (m_pictures.size() > kKept) m_pictures.erase(m_pictures.begin());
            emit ready(file);
        };
    });
}

QImage SubPictures::of(const std::string& file) const {
    const auto it = std::find_if(m_pictures.begin(), m_pictures.end(), [&](const Picture& p) { return p.file == file && p.red == theme().isRed(); });
    return it == m_pictures.end() ? QImage() : it->image;
}

} // namespace caelumen
