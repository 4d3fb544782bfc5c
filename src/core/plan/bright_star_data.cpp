#include "core/plan/target_data.h"

namespace caelumen {

// name|right ascension (h m)|declination (d m)|V|B-V: stars that are bright enough to throw halos, after the Bright Star Catalogue (Hoffleit & Jaschek 1982).
// J2000, to an arcminute.
const char* const kBrightStars = R"(
Alpheratz, alpha And|00 08.4|+29 05|2.06|-0.11
Caph, beta Cas|00 09.2|+59 09|2.27|0.34
Algenib, gamma Peg|00 13.2|+15 11|2.83|-0.23
beta Hyi|00 25.8|-77 15|2.80|0.62
Ankaa, alpha Phe|00 26.3|-42 18|2.39|1.09
delta And|00 39.3|+30 52|3.27|1.28
Schedar, alpha Cas|00 40.5|+56 32|2.23|1.17
Diphda, beta Cet|00 43.6|-17 59|2.04|1.02
Achird, eta Cas|00 49.1|+57 49|3.44|0.57
gamma Cas|00 56.7|+60 43|2.47|-0.15
beta Phe|01 06.1|-46 43|3.31|0.89
eta Cet|01 08.6|-10 11|3.45|1.16
Mirach, beta And|01 09.7|+35 37|2.06|1.58
Ruchbah, delta Cas|01 25.8|+60 14|2.68|0.13
gamma Phe|01 28.4|-43 19|3.41|1.57
Achernar, alpha Eri|01 37.7|-57 14|0.46|-0.16
tau Cet|01 44.1|-15 56|3.50|0.72
epsilon Cas|01 54.4|+63 40|3.38|-0.15
alpha Tri|01 53.1|+29 35|3.41|0.49
Sheratan, beta Ari|01 54.6|+20 48|2.64|0.13
alpha Hyi|01 58.8|-61 34|2.86|0.28
Almach, gamma And|02 03.9|+42 20|2.26|1.37
Hamal, alpha Ari|02 07.2|+23 28|2.00|1.15
beta Tri|02 09.5|+34 59|3.00|0.14
Polaris, alpha UMi|02 31.8|+89 16|2.02|0.60
gamma Cet|02 43.3|+03 14|3.47|0.09
eta Per|02 50.7|+55 54|3.76|1.68
Acamar, theta Eri|02 58.3|-40 18|3.24|0.14
Menkar, alpha Cet|03 02.3|+04 05|2.53|1.64
gamma Per|03 04.8|+53 30|2.93|0.70
rho Per|03 05.2|+38 50|3.39|1.65
Algol, beta Per|03 08.2|+40 57|2.12|-0.05
alpha For|03 12.1|-28 59|3.87|0.52
Mirfak, alpha Per|03 24.3|+49 52|1.79|0.48
epsilon Eri|03 32.9|-09 27|3.73|0.88
delta Per|03 42.9|+47 47|3.01|-0.13
delta Eri|03 43.2|-09 46|3.54|0.92
Electra, 17 Tau|03 44.9|+24 07|3.70|-0.11
gamma Hyi|03 47.2|-74 14|3.24|1.62
Alcyone, eta Tau|03 47.5|+24 06|2.87|-0.09
Atlas, 27 Tau|03 49.2|+24 03|3.63|-0.09
zeta Per|03 54.1|+31 53|2.85|0.12
epsilon Per|03 57.9|+40 01|2.89|-0.18
Zaurak, gamma Eri|03 58.0|-13 31|2.95|1.59
xi Per|03 59.0|+35 47|4.04|0.01
lambda Tau|04 00.7|+12 29|3.47|-0.12
alpha Ret|04 14.4|-62 28|3.35|0.91
gamma Tau|04 19.8|+15 38|3.65|0.99
epsilon Tau|04 28.6|+19 11|3.53|1.01
theta2 Tau|04 28.7|+15 52|3.40|0.18
alpha Dor|04 34.0|-55 03|3.27|-0.10
Aldebaran, alpha Tau|04 35.9|+16 31|0.85|1.54
pi3 Ori|04 49.8|+06 58|3.19|0.45
iota Aur|04 57.0|+33 10|2.69|1.53
epsilon Aur|05 02.0|+43 49|2.99|0.54
eta Aur|05 06.5|+41 14|3.17|-0.18
epsilon Lep|05 05.5|-22 22|3.19|1.46
Cursa, beta Eri|05 07.8|-05 05|2.79|0.13
mu Lep|05 12.9|-16 12|3.31|-0.11
Rigel, beta Ori|05 14.5|-08 12|0.12|-0.03
Capella, alpha Aur|05 16.7|+46 00|0.08|0.80
eta Ori|05 24.5|-02 24|3.36|-0.17
Bellatrix, gamma Ori|05 25.1|+06 21|1.64|-0.22
Elnath, beta Tau|05 26.3|+28 36|1.65|-0.13
Nihal, beta Lep|05 28.2|-20 46|2.84|0.82
Mintaka, delta Ori|05 32.0|-00 18|2.23|-0.22
Arneb, alpha Lep|05 32.7|-17 49|2.58|0.21
beta Dor|05 33.6|-62 29|3.76|0.82
lambda Ori|05 35.1|+09 56|3.54|-0.18
iota Ori|05 35.4|-05 55|2.77|-0.24
Alnilam, epsilon Ori|05 36.2|-01 12|1.70|-0.19
zeta Tau|05 37.6|+21 09|3.00|-0.19
Phact, alpha Col|05 39.6|-34 04|2.64|-0.12
sigma Ori|05 38.7|-02 36|3.81|-0.24
Alnitak, zeta Ori|05 40.8|-01 57|1.77|-0.21
Saiph, kappa Ori|05 47.8|-09 40|2.06|-0.17
beta Col|05 51.0|-35 46|3.12|1.16
Betelgeuse, alpha Ori|05 55.2|+07 24|0.50|1.85
Menkalinan, beta Aur|05 59.5|+44 57|1.90|0.03
theta Aur|05 59.7|+37 13|2.62|-0.08
Propus, eta Gem|06 14.9|+22 30|3.28|1.60
zeta CMa|06 20.3|-30 04|3.02|-0.19
Mirzam, beta CMa|06 22.7|-17 57|1.98|-0.23
mu Gem|06 23.0|+22 31|2.88|1.64
Canopus, alpha Car|06 24.0|-52 42|-0.72|0.15
Alhena, gamma Gem|06 37.7|+16 24|1.93|0.00
nu Pup|06 37.8|-43 12|3.17|-0.11
15 Mon|06 41.0|+09 54|4.66|-0.25
epsilon Gem|06 43.9|+25 08|2.98|1.40
Sirius, alpha CMa|06 45.1|-16 43|-1.46|0.00
xi Gem|06 45.3|+12 54|3.36|0.43
alpha Pic|06 48.2|-61 56|3.27|0.21
tau Pup|06 49.9|-50 37|2.93|1.20
kappa CMa|06 49.8|-32 31|3.96|-0.23
Adhara, epsilon CMa|06 58.6|-28 58|1.50|-0.21
sigma CMa|07 01.7|-27 56|3.47|1.73
omicron2 CMa|07 03.0|-23 50|3.02|-0.08
zeta Gem|07 04.1|+20 34|3.79|0.79
Wezen, delta CMa|07 08.4|-26 24|1.84|0.68
pi Pup|07 17.1|-37 06|2.70|1.62
Wasat, delta Gem|07 20.1|+21 59|3.53|0.34
Aludra, eta CMa|07 24.1|-29 18|2.45|-0.08
beta CMi|07 27.2|+08 17|2.90|-0.09
sigma Pup|07 29.2|-43 18|3.25|1.51
Castor, alpha Gem|07 34.6|+31 53|1.58|0.03
Procyon, alpha CMi|07 39.3|+05 14|0.38|0.42
kappa Gem|07 44.4|+24 24|3.57|0.93
Pollux, beta Gem|07 45.3|+28 02|1.14|1.00
xi Pup|07 49.3|-24 52|3.34|1.24
chi Car|07 56.8|-52 59|3.47|-0.18
Naos, zeta Pup|08 03.6|-40 00|2.25|-0.26
rho Pup|08 07.5|-24 18|2.81|0.43
gamma Vel|08 09.5|-47 20|1.78|-0.22
beta Cnc|08 16.5|+09 11|3.52|1.48
Avior, epsilon Car|08 22.5|-59 31|1.86|1.28
beta Vol|08 25.7|-66 08|3.77|1.13
omicron UMa|08 30.3|+60 43|3.36|0.84
alpha Pyx|08 43.6|-33 11|3.68|-0.18
delta Vel|08 44.7|-54 43|1.96|0.04
epsilon Hya|08 46.8|+06 25|3.38|0.68
zeta Hya|08 55.4|+05 57|3.11|1.00
iota UMa|08 59.2|+48 02|3.14|0.19
kappa UMa|09 03.6|+47 09|3.60|0.00
Suhail, lambda Vel|09 08.0|-43 26|2.21|1.66
alpha Vol|09 02.4|-66 24|4.00|0.14
a Car|09 11.0|-58 58|3.44|-0.19
Miaplacidus, beta Car|09 13.2|-69 43|1.68|0.00
Aspidiske, iota Car|09 17.1|-59 17|2.25|0.18
alpha Lyn|09 21.1|+34 24|3.13|1.55
kappa Vel|09 22.1|-55 01|2.50|-0.18
Alphard, alpha Hya|09 27.6|-08 40|1.98|1.44
N Vel|09 31.2|-57 02|3.13|1.55
theta UMa|09 32.9|+51 41|3.17|0.46
omicron Leo|09 41.2|+09 54|3.52|0.49
epsilon Leo|09 45.9|+23 46|2.98|0.80
upsilon Car|09 47.1|-65 04|2.97|0.27
mu Leo|09 52.8|+26 00|3.88|1.22
phi Vel|09 56.9|-54 34|3.54|-0.08
eta Leo|10 07.3|+16 46|3.52|-0.03
Regulus, alpha Leo|10 08.4|+11 58|1.35|-0.11
lambda Hya|10 10.6|-12 21|3.61|1.01
omega Car|10 13.7|-70 02|3.32|-0.08
q Car|10 17.1|-61 20|3.40|1.54
zeta Leo|10 16.7|+23 25|3.44|0.31
lambda UMa|10 17.1|+42 55|3.45|0.03
Algieba, gamma Leo|10 20.0|+19 51|2.28|1.15
mu UMa|10 22.3|+41 30|3.05|1.59
p Car|10 32.0|-61 41|3.32|-0.09
theta Car|10 43.0|-64 24|2.76|-0.22
mu Vel|10 46.8|-49 25|2.69|0.90
nu Hya|10 49.6|-16 12|3.11|1.25
Merak, beta UMa|11 01.8|+56 23|2.37|-0.02
Dubhe, alpha UMa|11 03.7|+61 45|1.79|1.07
psi UMa|11 09.7|+44 30|3.01|1.14
Zosma, delta Leo|11 14.1|+20 31|2.56|0.12
Chertan, theta Leo|11 14.2|+15 26|3.34|-0.01
nu UMa|11 18.5|+33 06|3.48|1.40
pi Cen|11 21.0|-54 29|3.89|-0.15
xi Hya|11 33.0|-31 51|3.54|0.94
lambda Cen|11 35.8|-63 01|3.13|-0.04
chi UMa|11 46.1|+47 47|3.71|1.18
Denebola, beta Leo|11 49.1|+14 34|2.14|0.09
beta Vir|11 50.7|+01 46|3.61|0.55
Phecda, gamma UMa|11 53.8|+53 42|2.44|0.00
delta Cen|12 08.4|-50 43|2.60|-0.12
epsilon Crv|12 10.1|-22 37|3.00|1.33
rho Cen|12 11.7|-52 22|3.96|-0.15
delta Cru|12 15.1|-58 45|2.80|-0.23
Megrez, delta UMa|12 15.4|+57 02|3.31|0.08
Gienah, gamma Crv|12 15.8|-17 33|2.59|-0.11
epsilon Cru|12 21.4|-60 24|3.59|1.42
Acrux, alpha Cru|12 26.6|-63 06|0.77|-0.24
Algorab, delta Crv|12 29.9|-16 31|2.95|-0.05
Gacrux, gamma Cru|12 31.2|-57 07|1.63|1.59
beta Crv|12 34.4|-23 24|2.65|0.89
alpha Mus|12 37.2|-69 08|2.69|-0.20
Muhlifain, gamma Cen|12 41.5|-48 58|2.17|-0.01
Porrima, gamma Vir|12 41.7|-01 27|2.74|0.36
beta Mus|12 46.3|-68 06|3.05|-0.18
Mimosa, beta Cru|12 47.7|-59 41|1.25|-0.23
Alioth, epsilon UMa|12 54.0|+55 58|1.77|-0.02
delta Vir|12 55.6|+03 24|3.38|1.58
Cor Caroli, alpha CVn|12 56.0|+38 19|2.90|-0.12
delta Mus|13 02.3|-71 33|3.62|1.18
Vindemiatrix, epsilon Vir|13 02.2|+10 58|2.83|0.94
gamma Hya|13 18.9|-23 10|3.00|0.92
iota Cen|13 20.6|-36 43|2.75|0.04
Mizar, zeta UMa|13 23.9|+54 56|2.27|0.02
Spica, alpha Vir|13 25.2|-11 10|0.98|-0.23
zeta Vir|13 34.7|-00 36|3.37|0.11
epsilon Cen|13 39.9|-53 28|2.30|-0.22
Alkaid, eta UMa|13 47.5|+49 19|1.86|-0.19
nu Cen|13 49.5|-41 41|3.41|-0.22
mu Cen|13 49.6|-42 28|3.04|-0.17
Muphrid, eta Boo|13 54.7|+18 24|2.68|0.58
zeta Cen|13 55.5|-47 17|2.55|-0.22
Hadar, beta Cen|14 03.8|-60 22|0.61|-0.23
Thuban, alpha Dra|14 04.4|+64 23|3.65|-0.05
pi Hya|14 06.4|-26 41|3.27|1.12
Menkent, theta Cen|14 06.7|-36 22|2.06|1.01
Arcturus, alpha Boo|14 15.7|+19 11|-0.04|1.23
Seginus, gamma Boo|14 32.1|+38 18|3.03|0.19
rho Boo|14 31.8|+30 22|3.58|1.30
eta Cen|14 35.5|-42 09|2.31|-0.19
Rigil Kentaurus, alpha Cen|14 39.6|-60 50|-0.27|0.71
alpha Cir|14 42.5|-64 59|3.19|0.24
alpha Lup|14 41.9|-47 23|2.30|-0.20
Izar, epsilon Boo|14 45.0|+27 04|2.37|0.97
alpha Aps|14 47.9|-79 03|3.83|1.43
Kochab, beta UMi|14 50.7|+74 09|2.08|1.47
Zubenelgenubi, alpha Lib|14 50.9|-16 03|2.75|0.15
beta Lup|14 58.5|-43 08|2.68|-0.22
kappa Cen|14 59.2|-42 06|3.13|-0.20
Nekkar, beta Boo|15 01.9|+40 23|3.50|0.97
sigma Lib|15 04.1|-25 17|3.29|1.70
zeta Lup|15 12.3|-52 06|3.41|0.92
delta Boo|15 15.5|+33 19|3.47|0.95
Zubeneschamali, beta Lib|15 17.0|-09 23|2.61|-0.11
gamma TrA|15 18.9|-68 41|2.89|0.00
delta Lup|15 21.4|-40 39|3.22|-0.22
Pherkad, gamma UMi|15 20.7|+71 50|3.05|0.05
Edasich, iota Dra|15 24.9|+58 58|3.29|1.16
epsilon Lup|15 22.7|-44 41|3.37|-0.18
Alphecca, alpha CrB|15 34.7|+26 43|2.23|-0.02
gamma Lup|15 35.1|-41 10|2.78|-0.20
Unukalhai, alpha Ser|15 44.3|+06 26|2.65|1.17
mu Ser|15 49.6|-03 26|3.53|-0.04
beta TrA|15 55.1|-63 26|2.85|0.29
pi Sco|15 58.9|-26 07|2.89|-0.19
eta Lup|16 00.1|-38 24|3.41|-0.22
Dschubba, delta Sco|16 00.3|-22 37|2.32|-0.12
Acrab, beta Sco|16 05.4|-19 48|2.62|-0.07
delta Oph|16 14.3|-03 42|2.74|1.58
epsilon Oph|16 18.3|-04 42|3.24|0.96
sigma Sco|16 21.2|-25 36|2.89|0.13
eta Dra|16 24.0|+61 31|2.74|0.91
Antares, alpha Sco|16 29.4|-26 26|0.96|1.83
Kornephoros, beta Her|16 30.2|+21 29|2.77|0.94
tau Sco|16 35.9|-28 13|2.82|-0.25
zeta Oph|16 37.2|-10 34|2.56|0.02
zeta Her|16 41.3|+31 36|2.81|0.65
eta Her|16 42.9|+38 55|3.53|0.92
Atria, alpha TrA|16 48.7|-69 02|1.92|1.44
Larawag, epsilon Sco|16 50.2|-34 18|2.29|1.15
mu1 Sco|16 51.9|-38 03|3.08|-0.20
zeta2 Sco|16 54.6|-42 22|3.62|1.37
kappa Oph|16 57.7|+09 23|3.20|1.15
zeta Ara|16 58.6|-55 59|3.13|1.60
zeta Dra|17 08.8|+65 43|3.17|-0.12
Sabik, eta Oph|17 10.4|-15 44|2.43|0.06
eta Sco|17 12.2|-43 14|3.33|0.41
Rasalgethi, alpha Her|17 14.6|+14 23|3.08|1.44
delta Her|17 15.0|+24 50|3.14|0.08
pi Her|17 15.0|+36 49|3.16|1.44
theta Oph|17 22.0|-25 00|3.27|-0.22
beta Ara|17 25.3|-55 32|2.85|1.46
gamma Ara|17 25.4|-56 23|3.34|-0.13
Rastaban, beta Dra|17 30.4|+52 18|2.79|0.98
upsilon Sco|17 30.8|-37 18|2.69|-0.22
alpha Ara|17 31.8|-49 53|2.95|-0.17
Shaula, lambda Sco|17 33.6|-37 06|1.63|-0.22
Rasalhague, alpha Oph|17 34.9|+12 34|2.08|0.15
Sargas, theta Sco|17 37.3|-43 00|1.87|0.40
xi Ser|17 37.6|-15 24|3.54|0.26
kappa Sco|17 42.5|-39 02|2.41|-0.22
beta Oph|17 43.5|+04 34|2.77|1.16
iota1 Sco|17 47.6|-40 08|3.03|0.51
G Sco|17 49.9|-37 03|3.21|1.17
Eltanin, gamma Dra|17 56.6|+51 29|2.23|1.52
nu Oph|17 59.0|-09 46|3.34|0.99
Alnasl, gamma Sgr|18 05.8|-30 25|2.99|1.00
eta Sgr|18 17.6|-36 46|3.11|1.56
Kaus Media, delta Sgr|18 21.0|-29 50|2.70|1.38
eta Ser|18 21.3|-02 54|3.26|0.94
Kaus Australis, epsilon Sgr|18 24.2|-34 23|1.85|-0.03
alpha Tel|18 27.0|-45 58|3.51|-0.17
Kaus Borealis, lambda Sgr|18 28.0|-25 25|2.81|1.04
Vega, alpha Lyr|18 36.9|+38 47|0.03|0.00
phi Sgr|18 45.7|-26 59|3.17|-0.11
beta Lyr|18 50.1|+33 22|3.45|0.00
Nunki, sigma Sgr|18 55.3|-26 18|2.02|-0.22
gamma Lyr|18 58.9|+32 41|3.24|-0.05
Ascella, zeta Sgr|19 02.6|-29 53|2.60|0.08
zeta Aql|19 05.4|+13 52|2.99|0.01
lambda Aql|19 06.2|-04 53|3.44|-0.09
tau Sgr|19 06.9|-27 40|3.32|1.19
pi Sgr|19 09.8|-21 01|2.89|0.35
delta Dra|19 12.6|+67 40|3.07|1.00
delta Aql|19 25.5|+03 07|3.36|0.32
Albireo, beta Cyg|19 30.7|+27 58|3.08|1.13
delta Cyg|19 45.0|+45 08|2.87|-0.03
Tarazed, gamma Aql|19 46.3|+10 37|2.72|1.52
Altair, alpha Aql|19 50.8|+08 52|0.77|0.22
theta Aql|20 11.3|-00 49|3.23|-0.07
beta Cap|20 21.0|-14 47|3.08|0.79
Sadr, gamma Cyg|20 22.2|+40 15|2.20|0.68
Peacock, alpha Pav|20 25.6|-56 44|1.94|-0.20
alpha Ind|20 37.6|-47 17|3.11|1.00
beta Pav|20 45.0|-66 12|3.42|0.16
Deneb, alpha Cyg|20 41.4|+45 17|1.25|0.09
eta Cep|20 45.3|+61 50|3.43|0.92
epsilon Cyg|20 46.2|+33 58|2.46|1.03
zeta Cyg|21 12.9|+30 14|3.20|0.99
Alderamin, alpha Cep|21 18.6|+62 35|2.44|0.22
beta Aqr|21 31.6|-05 34|2.91|0.83
beta Cep|21 28.7|+70 34|3.23|-0.22
nu Oct|21 41.5|-77 23|3.76|1.00
mu Cep|21 43.5|+58 47|4.08|2.35
Enif, epsilon Peg|21 44.2|+09 53|2.39|1.53
Deneb Algedi, delta Cap|21 47.0|-16 08|2.87|0.29
gamma Gru|21 53.9|-37 22|3.01|-0.12
alpha Aqr|22 05.8|-00 19|2.96|0.98
Alnair, alpha Gru|22 08.2|-46 58|1.74|-0.13
zeta Cep|22 10.9|+58 12|3.35|1.57
alpha Tuc|22 18.5|-60 16|2.86|1.39
delta Cep|22 29.2|+58 25|3.75|0.60
beta Gru|22 42.7|-46 53|2.10|1.60
zeta Peg|22 41.5|+10 50|3.40|-0.09
eta Peg|22 43.0|+30 13|2.94|0.86
epsilon Gru|22 48.6|-51 19|3.49|0.08
iota Cep|22 49.7|+66 12|3.52|1.05
delta Aqr|22 54.7|-15 49|3.27|0.05
Fomalhaut, alpha PsA|22 57.7|-29 37|1.16|0.09
Scheat, beta Peg|23 03.8|+28 05|2.42|1.67
Markab, alpha Peg|23 04.8|+15 12|2.49|-0.04
iota Phe|23 35.1|-42 37|4.71|0.08
Errai, gamma Cep|23 39.3|+77 38|3.21|1.03
omicron And|23 01.9|+42 20|3.62|-0.09
)";

} // namespace caelumen
