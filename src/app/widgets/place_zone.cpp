#include "app/widgets/place_zone.h"

#include "core/model/trial.h"
#include "core/sky/ephemeris.h"

#include <QDateTime>
#include <QFile>
#include <QRegularExpression>

#include <cmath>
#include <vector>

namespace caelumen {
namespace {

struct Town {
    double latitude_deg, longitude_deg;
    QString zone;
};

/// "-2615" or "+0515" or "+404251" in degrees.
double degreesOf(const QString& text) {
    const qsizetype whole = text.size() == 5 || text.size() == 7 ? 3 : 4; // two or three digits of degrees behind the sign
    const double d = text.mid(1, whole - 1).toDouble(), m = text.mid(whole, 2).toDouble(), s = text.mid(whole + 2).toDouble();
    return (text.startsWith('-') ? -1 : 1) * (d + m / 60 + s / 3600);
}

const std::vector<Town>& towns() {
    static const std::vector<Town> all = [] {
        std::vector<Town> out;
        QFile file("/usr/share/zoneinfo/zone1970.tab");
        if (!file.open(QIODevice::ReadOnly)) return out;
        static const QRegularExpression place("^([+-]\\d+)([+-]\\d+)$");
        for (const QString& line : QString::fromUtf8(file.readAll()).split('\n')) {
            const QStringList cells = line.split('\t');
            if (line.startsWith('#') || cells.size() < 3) continue;
            if (const auto m = place.match(cells[1]); m.hasMatch()) {
                const QString latitude = m.captured(1), longitude = m.captured(2);
                out.push_back({degreesOf(latitude), degreesOf(longitude), cells[2]});
            }
        }
        return out;
    }();
    return all;
}

} // namespace

QString zoneNear(double latitude_deg, double longitude_deg) {
    // Asked for every label of a plot, and nearly always of the same place.
    thread_local Town last{1e9, 1e9, {}};
    if (last.latitude_deg == latitude_deg && last.longitude_deg == longitude_deg) return last.zone;
    const Town* nearest = nullptr;
    double least = 1e9;
    for (const Town& t : towns())
        if (const double away = separation_deg(longitude_deg, latitude_deg, t.longitude_deg, t.latitude_deg); away < least) least = away, nearest = &t;
    last = {latitude_deg, longitude_deg, nearest ? nearest->zone : QString()};
    return last.zone;
}

PlaceZone placeZone(const Site& site) {
    PlaceZone out{QTimeZone(QByteArray::fromStdString(site.zone)), false, 0};
    if (site.zone.empty() || !out.zone.isValid()) {
        out.guessed = true;
        out.zone = site.latitude_deg && site.longitude_deg ? QTimeZone(zoneNear(*site.latitude_deg, *site.longitude_deg).toUtf8()) : QTimeZone();
        if (!out.zone.isValid()) out.zone = QTimeZone::systemTimeZone();
    }
    if (site.longitude_deg) out.offSun_h = std::remainder(out.zone.standardTimeOffset(QDateTime::currentDateTimeUtc()) / 3600.0 - *site.longitude_deg / 15, 24);
    return out;
}

} // namespace caelumen
