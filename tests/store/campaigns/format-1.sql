CREATE TABLE trial (id INTEGER PRIMARY KEY, position INTEGER NOT NULL, title TEXT NOT NULL, body TEXT NOT NULL, changed TEXT NOT NULL);
CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
PRAGMA application_id = 1130456428;
PRAGMA user_version = 1;
INSERT INTO trial VALUES (2, 1, 'Roof at full moon · “first try”', '{"caelumen_trial":1,"title":"Roof at full moon · “first try”","target":{"name":"NGC 2070","ra_deg":84.675,"dec_deg":-69.1},"site":{"name":"Roof","latitude_deg":-33.9,"longitude_deg":18.5,"elevation_m":40,"sky_mag_arcsec2":18.2},"rig":{"focal_length_mm":480,"pixel_um":3.76,"gain_e_per_adu":0.78,"read_noise_e":1.6},"filters":[{"id":"open","name":"No filter","kind":"none"},{"id":"duo7","name":"Duo 7","kind":"dual-band","curve":"curves/duo7.csv"}],"runs":[{"id":"A","filter":"open","stack":"roof/a.fits","baseline":true,"sub_exposure_s":60,"sub_count":30},{"id":"B","filter":"duo7","stack":"roof/b.fits","pedestal_adu":100,"note":"café"}],"regions":[{"id":"N1","role":"nebula","shape":"circle","center":[700,520],"radius":120},{"id":"S1","role":"sky","shape":"rect","min":[20,20],"max":[220,180]},{"id":"h1","role":"halo_star","at":[1203.5,410.25]}]}', '2026-11-25T21:04:11Z');
INSERT INTO trial VALUES (5, 2, 'Plateau', '{"caelumen_trial":1,"title":"Plateau","filters":[],"runs":[],"regions":[]}', '2026-11-26T02:00:00Z');
INSERT INTO setting VALUES ('shown', '2');
INSERT INTO setting VALUES ('a setting that nobody knows any more', '{}');
