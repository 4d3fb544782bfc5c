#pragma once

namespace caelumen {

/// Moonlight on the sky in V, nanolamberts (Krisciunas & Schaefer 1991, PASP 103, 1033, equations 15 to 21).
/// Below 30 degrees the moon's own light is dimmed by the airmass of Kasten & Young (1989), so that it rises without a step. `phaseAngle_deg` 0 is full moon;
/// zero when the moon is below the horizon. `extinction` in mag per airmass.
double moonlightNanoLamberts(double phaseAngle_deg, double moonAlt_deg, double targetAlt_deg, double separation_deg, double extinction = 0.172);

/// Surface brightness, mag/arcsec^2 in V, to nanolamberts and back (their equation 1).
double nanoLamberts(double magnitude);
double magnitudeOf(double nanoLamberts);

} // namespace caelumen
