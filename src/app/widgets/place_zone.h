#pragma once

#include <QString>
#include <QTimeZone>

namespace caelumen {

struct Site;

/// The clock of a place: the one that the site names, else that of the zone's town that lies nearest (the system's list of zones), else this computer's.
struct PlaceZone {
    QTimeZone zone;
    bool guessed = false;
    double offSun_h = 0; ///< its standard time before the sun's mean time there, hours
};
PlaceZone placeZone(const Site& site);

/// Name of the zone whose town lies nearest to a place, degrees; empty where the system has no list.
QString zoneNear(double latitude_deg, double longitude_deg);

} // namespace caelumen
