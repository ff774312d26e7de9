BEGIN TRANSACTION;
CREATE TABLE accumulators (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	build VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	card VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED, 
	FOREIGN KEY(build) REFERENCES builds (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "accumulators" VALUES('644ecc700c684ca6a883123474e9f3ec','00000000000000000000000000000001','00000000000000000000000000000004','2026-05-05','2 L','schema = "basso.fitted/1"','');
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0008');
CREATE TABLE arrivals (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	source VARCHAR NOT NULL, 
	decisions JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
CREATE TABLE attachments (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	about VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	text VARCHAR NOT NULL, 
	file_name VARCHAR NOT NULL, 
	file_hash VARCHAR NOT NULL, part VARCHAR DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "attachments" VALUES('0000000000000000000000000000000c','00000000000000000000000000000001','00000000000000000000000000000004','2026-04-01','Pickup marked before closing.','','','');
CREATE TABLE builds (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	engine VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	since VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	pan VARCHAR NOT NULL, 
	pickup VARCHAR NOT NULL, 
	pickup_gap_mm FLOAT, 
	baffle VARCHAR NOT NULL, 
	tray VARCHAR NOT NULL, 
	accumulator VARCHAR NOT NULL, 
	accumulator_l FLOAT, 
	cooler VARCHAR NOT NULL, 
	sensors VARCHAR NOT NULL, 
	oil_grade VARCHAR NOT NULL, 
	level_l FLOAT, 
	tyres VARCHAR NOT NULL, 
	map VARCHAR NOT NULL, 
	parts JSON NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "builds" VALUES('00000000000000000000000000000004','00000000000000000000000000000001','00000000000000000000000000000003','Build 1','2026-04-01','','deep','',NULL,'','','',NULL,'','','5W-40',3.6,'','','[]','');
CREATE TABLE calibrations (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	sensor VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	against VARCHAR NOT NULL, 
	reads VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	points JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "calibrations" VALUES('00000000000000000000000000000023','00000000000000000000000000000001','00000000000000000000000000000021','2026-04-02','reference gauge','kPa','','[[0.0, 0.4], [400.0, 401.5]]');
CREATE TABLE cars (
	id VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	use VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "cars" VALUES('00000000000000000000000000000001','Car 31','competition','');
CREATE TABLE circuits (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	sessions JSON NOT NULL, 
	survey JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
CREATE TABLE edits (
	id INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	label VARCHAR NOT NULL, 
	changes JSON NOT NULL, 
	undone BOOLEAN NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "edits" VALUES(1,'2026-11-25T21:41:07','adding Car 31','[{"table": "cars", "before": null, "after": {"id": "00000000000000000000000000000001", "name": "Car 31", "use": "competition", "note": ""}}, {"table": "engines", "before": null, "after": {"id": "00000000000000000000000000000002", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Two litre", "since": "", "reason": "", "clearance": "production", "cylinders": null, "main_bearings": null, "main_mm": null, "rod_mm": null, "aspiration": "", "relief_kpa": 430.0, "idle_rpm": null, "redline_rpm": null, "pump_cm3": null, "maker_points": [[2500.0, 193.0], [6000.0, 380.0]], "window_low_kpa": null, "window_high_kpa": null, "grades": ["5W-40", "10W-40"], "oil_target_c": null, "full_l": 3.6, "filter_l": 0.3, "cooler_l": 0.25, "lines_l": 0.1, "galleries_l": 0.35, "oil_hours": 12.0, "oil_km": null, "oil_events": null, "note": "", "window_rpm": null, "window_c": null, "maker_port": ""}}, {"table": "builds", "before": null, "after": {"id": "00000000000000000000000000000004", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Build 1", "since": "2026-04-01", "reason": "", "pan": "stock", "pickup": "", "pickup_gap_mm": null, "baffle": "", "tray": "", "accumulator": "", "accumulator_l": null, "cooler": "", "sensors": "", "oil_grade": "5W-40", "level_l": 3.6, "tyres": "", "map": "", "parts": [], "note": ""}}, {"table": "sessions", "before": null, "after": {"id": "00000000000000000000000000000005", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "title": "Stint 1", "began": "2026-05-01T10:00:00", "kind": "track", "circuit": "Harrowfell", "weather": "", "air_c": null, "fuel": "", "tyres": "", "driver": "", "accumulator": "unknown", "map": "", "log_name": "", "log_hash": "hash0", "running_s": 900.0, "hot_s": null, "distance_km": 24.0, "laps": 7, "peak_oil_c": null, "lamp_rpm": null, "note": ""}}, {"table": "sessions", "before": null, "after": {"id": "00000000000000000000000000000006", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "title": "Stint 2", "began": "2026-05-02T10:00:00", "kind": "track", "circuit": "Harrowfell", "weather": "", "air_c": null, "fuel": "", "tyres": "", "driver": "", "accumulator": "unknown", "map": "", "log_name": "", "log_hash": "hash1", "running_s": 900.0, "hot_s": null, "distance_km": 24.0, "laps": 7, "peak_oil_c": null, "lamp_rpm": null, "note": ""}}, {"table": "sessions", "before": null, "after": {"id": "00000000000000000000000000000007", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "title": "Stint 3", "began": "2026-05-03T10:00:00", "kind": "track", "circuit": "Harrowfell", "weather": "", "air_c": null, "fuel": "", "tyres": "", "driver": "", "accumulator": "unknown", "map": "", "log_name": "", "log_hash": "hash2", "running_s": 900.0, "hot_s": null, "distance_km": 24.0, "laps": 7, "peak_oil_c": null, "lamp_rpm": null, "note": ""}}, {"table": "oil", "before": null, "after": {"id": "00000000000000000000000000000008", "car": "00000000000000000000000000000001", "day": "2026-04-01", "kind": "fill", "grade": "5W-40", "lot": "", "family": "", "volume_l": 4.6, "filter_new": true, "note": ""}}, {"table": "samples", "before": null, "after": {"id": "00000000000000000000000000000009", "car": "00000000000000000000000000000001", "day": "2026-06-01", "bottle": "A1", "session": "00000000000000000000000000000005", "values": {"Fe": 22.0, "v100": 13.1}, "note": ""}}, {"table": "levels", "before": null, "after": {"id": "0000000000000000000000000000000a", "car": "00000000000000000000000000000001", "series": "stock pan", "day": "2026-04-01", "pan_l": 3.0, "depth_mm": 62.0, "mark": "", "accumulator": "none", "stance": "", "wait_min": null, "note": ""}}, {"table": "jobs", "before": null, "after": {"id": "0000000000000000000000000000000b", "car": "00000000000000000000000000000001", "build": "", "sheet": "oil-change", "opened": "2026-04-01", "closed": "", "signed": "", "minutes": null, "follow_up": "", "entries": {"drain": {"done": true}}, "begun_on": {}, "note": ""}}, {"table": "attachments", "before": null, "after": {"id": "0000000000000000000000000000000c", "car": "00000000000000000000000000000001", "about": "00000000000000000000000000000004", "part": "", "day": "2026-04-01", "text": "Pickup marked before closing.", "file_name": "", "file_hash": ""}}]',0);
INSERT INTO "edits" VALUES(2,'2026-11-25T21:41:07','pan of Build 1','[{"table": "builds", "before": {"id": "00000000000000000000000000000004", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Build 1", "since": "2026-04-01", "reason": "", "pan": "stock", "pickup": "", "pickup_gap_mm": null, "baffle": "", "tray": "", "accumulator": "", "accumulator_l": null, "cooler": "", "sensors": "", "oil_grade": "5W-40", "level_l": 3.6, "tyres": "", "map": "", "parts": [], "note": ""}, "after": {"id": "00000000000000000000000000000004", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Build 1", "since": "2026-04-01", "reason": "", "pan": "deep", "pickup": "", "pickup_gap_mm": null, "baffle": "", "tray": "", "accumulator": "", "accumulator_l": null, "cooler": "", "sensors": "", "oil_grade": "5W-40", "level_l": 3.6, "tyres": "", "map": "", "parts": [], "note": ""}}]',0);
INSERT INTO "edits" VALUES(3,'2026-11-25T21:41:07','the card of Two litre','[{"table": "engines", "before": {"id": "00000000000000000000000000000002", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Two litre", "since": "", "reason": "", "clearance": "production", "cylinders": null, "main_bearings": null, "main_mm": null, "rod_mm": null, "aspiration": "", "relief_kpa": 430.0, "idle_rpm": null, "redline_rpm": null, "pump_cm3": null, "maker_points": [[2500.0, 193.0], [6000.0, 380.0]], "window_low_kpa": null, "window_high_kpa": null, "grades": ["5W-40", "10W-40"], "oil_target_c": null, "full_l": 3.6, "filter_l": 0.3, "cooler_l": 0.25, "lines_l": 0.1, "galleries_l": 0.35, "oil_hours": 12.0, "oil_km": null, "oil_events": null, "note": "", "window_rpm": null, "window_c": null, "maker_port": ""}, "after": {"id": "00000000000000000000000000000002", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Two litre", "since": "", "reason": "", "clearance": "production", "cylinders": null, "main_bearings": null, "main_mm": null, "rod_mm": 0.05, "aspiration": "", "relief_kpa": 430.0, "idle_rpm": null, "redline_rpm": null, "pump_cm3": null, "maker_points": [[2500.0, 193.0], [6000.0, 380.0]], "window_low_kpa": null, "window_high_kpa": null, "grades": ["5W-40", "10W-40"], "oil_target_c": null, "full_l": 3.6, "filter_l": 0.3, "cooler_l": 0.25, "lines_l": 0.1, "galleries_l": 0.35, "oil_hours": 12.0, "oil_km": null, "oil_events": null, "note": "", "window_rpm": null, "window_c": null, "maker_port": ""}}]',0);
INSERT INTO "edits" VALUES(4,'2026-11-26T03:55:46','a sensor P1','[{"table": "sensors", "before": null, "after": {"id": "00000000000000000000000000000020", "car": "00000000000000000000000000000001", "sensor": "00000000000000000000000000000021", "name": "P1", "since": "2026-04-01", "reason": "", "fitted": true, "measures": "pressure", "place": "main gallery", "channel": "", "reference": "gauge", "low_kpa": 0.0, "high_kpa": 1000.0, "low_c": null, "high_c": null, "low_v": 0.5, "high_v": 4.5, "thread": "", "mount": "on the block", "line_m": null, "bore_mm": null, "rises": false, "lamp": "not looked at", "tee_turns": null, "belt_mm": null, "supply_v": null, "supply_pin": "", "fuse": "", "signal_pin": "", "return_pin": "", "return_with": "", "return_ma": null, "return_ohm": null, "note": ""}}]',0);
INSERT INTO "edits" VALUES(5,'2026-11-26T03:55:46','a new card of P1','[{"table": "sensors", "before": null, "after": {"id": "00000000000000000000000000000022", "car": "00000000000000000000000000000001", "sensor": "00000000000000000000000000000021", "name": "P1", "since": "2026-05-01", "reason": "hung on a line", "fitted": true, "measures": "pressure", "place": "main gallery", "channel": "", "reference": "gauge", "low_kpa": 0.0, "high_kpa": 1000.0, "low_c": null, "high_c": null, "low_v": 0.5, "high_v": 4.5, "thread": "", "mount": "on a flexible line", "line_m": 0.6, "bore_mm": null, "rises": false, "lamp": "not looked at", "tee_turns": null, "belt_mm": null, "supply_v": null, "supply_pin": "", "fuse": "", "signal_pin": "", "return_pin": "", "return_with": "", "return_ma": null, "return_ohm": null, "note": ""}}]',0);
INSERT INTO "edits" VALUES(6,'2026-11-26T03:55:46','a calibration','[{"table": "calibrations", "before": null, "after": {"id": "00000000000000000000000000000023", "car": "00000000000000000000000000000001", "sensor": "00000000000000000000000000000021", "day": "2026-04-02", "against": "reference gauge", "reads": "kPa", "points": [[0.0, 0.4], [400.0, 401.5]], "note": ""}}]',0);
INSERT INTO "edits" VALUES(7,'2026-11-26T07:08:37','a normal','[{"table": "normals", "before": null, "after": {"id": "00000000000000000000000000000030", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "day": "2026-05-02", "reason": "first", "sessions": ["00000000000000000000000000000005"], "curve": {"form": 1}, "idle": {}, "note": ""}}]',0);
INSERT INTO "edits" VALUES(8,'2026-11-26T07:08:37','floors','[{"table": "floors", "before": null, "after": {"id": "00000000000000000000000000000031", "car": "00000000000000000000000000000001", "since": "2026-05-02", "reason": "steel rods", "floors": ["slope:69,69"], "target": "", "act_now": "fixed:276", "alarm": "", "note": ""}}]',0);
INSERT INTO "edits" VALUES(9,'2026-11-26T07:08:37','a data sheet','[{"table": "oil_sheets", "before": null, "after": {"id": "00000000000000000000000000000032", "car": "00000000000000000000000000000001", "name": "10W-40", "v40": 95.0, "v100": 14.5, "ceiling_c": 130.0, "source": "its sheet", "note": ""}}]',0);
INSERT INTO "edits" VALUES(10,'2026-11-26T07:08:37','the maker''s port','[{"table": "engines", "before": {"id": "00000000000000000000000000000002", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Two litre", "since": "", "reason": "", "clearance": "production", "cylinders": null, "main_bearings": null, "main_mm": null, "rod_mm": 0.05, "aspiration": "", "relief_kpa": 430.0, "idle_rpm": null, "redline_rpm": null, "pump_cm3": null, "maker_points": [[2500.0, 193.0], [6000.0, 380.0]], "window_low_kpa": null, "window_high_kpa": null, "window_rpm": null, "window_c": null, "maker_port": "", "grades": ["5W-40", "10W-40"], "oil_target_c": null, "full_l": 3.6, "filter_l": 0.3, "cooler_l": 0.25, "lines_l": 0.1, "galleries_l": 0.35, "oil_hours": 12.0, "oil_km": null, "oil_events": null, "note": ""}, "after": {"id": "00000000000000000000000000000002", "car": "00000000000000000000000000000001", "engine": "00000000000000000000000000000003", "name": "Two litre", "since": "", "reason": "", "clearance": "production", "cylinders": null, "main_bearings": null, "main_mm": null, "rod_mm": 0.05, "aspiration": "", "relief_kpa": 430.0, "idle_rpm": null, "redline_rpm": null, "pump_cm3": null, "maker_points": [[2500.0, 193.0], [6000.0, 380.0]], "window_low_kpa": null, "window_high_kpa": null, "window_rpm": 3000.0, "window_c": 90.0, "maker_port": "gallery", "grades": ["5W-40", "10W-40"], "oil_target_c": null, "full_l": 3.6, "filter_l": 0.3, "cooler_l": 0.25, "lines_l": 0.1, "galleries_l": 0.35, "oil_hours": 12.0, "oil_km": null, "oil_events": null, "note": ""}}]',0);
INSERT INTO "edits" VALUES(11,'2026-11-29T15:43:24','the measured pan','[{"table": "pans", "before": null, "after": {"id": "3965eb99c29945a1baaa2c8426ccb236", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "day": "2026-05-04", "name": "deep pan", "shape": "schema = \"basso.pan/1\"", "note": ""}}]',0);
INSERT INTO "edits" VALUES(12,'2026-12-02T00:51:05','the accumulator','[{"table": "accumulators", "before": null, "after": {"id": "644ecc700c684ca6a883123474e9f3ec", "car": "00000000000000000000000000000001", "build": "00000000000000000000000000000004", "day": "2026-05-05", "name": "2 L", "card": "schema = \"basso.fitted/1\"", "note": ""}}]',0);
CREATE TABLE engines (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	clearance VARCHAR NOT NULL, 
	main_mm FLOAT, 
	rod_mm FLOAT, 
	aspiration VARCHAR NOT NULL, 
	relief_kpa FLOAT, 
	idle_rpm FLOAT, 
	redline_rpm FLOAT, 
	pump_cm3 FLOAT, 
	maker_points JSON NOT NULL, 
	window_low_kpa FLOAT, 
	window_high_kpa FLOAT, 
	grades JSON NOT NULL, 
	oil_target_c FLOAT, 
	full_l FLOAT, 
	filter_l FLOAT, 
	cooler_l FLOAT, 
	lines_l FLOAT, 
	galleries_l FLOAT, 
	oil_hours FLOAT, 
	oil_km FLOAT, 
	oil_events FLOAT, 
	note VARCHAR NOT NULL, engine VARCHAR DEFAULT '' NOT NULL, since VARCHAR DEFAULT '' NOT NULL, reason VARCHAR DEFAULT '' NOT NULL, cylinders INTEGER, main_bearings INTEGER, window_rpm FLOAT, window_c FLOAT, maker_port VARCHAR DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "engines" VALUES('00000000000000000000000000000002','00000000000000000000000000000001','Two litre','production',NULL,0.05,'',430.0,NULL,NULL,NULL,'[[2500.0, 193.0], [6000.0, 380.0]]',NULL,NULL,'["5W-40", "10W-40"]',NULL,3.6,0.3,0.25,0.1,0.35,12.0,NULL,NULL,'','00000000000000000000000000000003','','',NULL,NULL,3000.0,90.0,'gallery');
CREATE TABLE floors (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	since VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	target VARCHAR NOT NULL, 
	act_now VARCHAR NOT NULL, 
	alarm VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	floors JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "floors" VALUES('00000000000000000000000000000031','00000000000000000000000000000001','2026-05-02','steel rods','','fixed:276','','','["slope:69,69"]');
CREATE TABLE jobs (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	build VARCHAR, 
	sheet VARCHAR NOT NULL, 
	opened VARCHAR NOT NULL, 
	closed VARCHAR NOT NULL, 
	signed VARCHAR NOT NULL, 
	minutes FLOAT, 
	follow_up VARCHAR NOT NULL, 
	entries JSON NOT NULL, 
	note VARCHAR NOT NULL, begun_on JSON DEFAULT '{}' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED, 
	FOREIGN KEY(build) REFERENCES builds (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "jobs" VALUES('0000000000000000000000000000000b','00000000000000000000000000000001',NULL,'oil-change','2026-04-01','','',NULL,'','{"drain": {"done": true}}','','{}');
CREATE TABLE levels (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	series VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	pan_l FLOAT, 
	depth_mm FLOAT, 
	mark VARCHAR NOT NULL, 
	accumulator VARCHAR NOT NULL, 
	stance VARCHAR NOT NULL, 
	wait_min FLOAT, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "levels" VALUES('0000000000000000000000000000000a','00000000000000000000000000000001','stock pan','2026-04-01',3.0,62.0,'','none','',NULL,'');
CREATE TABLE normals (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	build VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	sessions JSON NOT NULL, 
	curve JSON NOT NULL, 
	idle JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED, 
	FOREIGN KEY(build) REFERENCES builds (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "normals" VALUES('00000000000000000000000000000030','00000000000000000000000000000001','00000000000000000000000000000004','2026-05-02','first','','["00000000000000000000000000000005"]','{"form": 1}','{}');
CREATE TABLE oil (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	kind VARCHAR NOT NULL, 
	grade VARCHAR NOT NULL, 
	lot VARCHAR NOT NULL, 
	family VARCHAR NOT NULL, 
	volume_l FLOAT, 
	filter_new BOOLEAN NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "oil" VALUES('00000000000000000000000000000008','00000000000000000000000000000001','2026-04-01','fill','5W-40','','',4.6,1,'');
CREATE TABLE oil_sheets (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	source VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	v40 FLOAT, 
	v100 FLOAT, 
	ceiling_c FLOAT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "oil_sheets" VALUES('00000000000000000000000000000032','00000000000000000000000000000001','10W-40','its sheet','',95.0,14.5,130.0);
CREATE TABLE pans (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	build VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	shape VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED, 
	FOREIGN KEY(build) REFERENCES builds (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "pans" VALUES('3965eb99c29945a1baaa2c8426ccb236','00000000000000000000000000000001','00000000000000000000000000000004','2026-05-04','deep pan','schema = "basso.pan/1"','');
CREATE TABLE rulings (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	session VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	decision VARCHAR NOT NULL, 
	"limit" VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	seen VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
CREATE TABLE samples (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	day VARCHAR NOT NULL, 
	bottle VARCHAR NOT NULL, 
	session VARCHAR NOT NULL, 
	"values" JSON NOT NULL, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "samples" VALUES('00000000000000000000000000000009','00000000000000000000000000000001','2026-06-01','A1','00000000000000000000000000000005','{"Fe": 22.0, "v100": 13.1}','');
CREATE TABLE sensors (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	sensor VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	since VARCHAR NOT NULL, 
	reason VARCHAR NOT NULL, 
	measures VARCHAR NOT NULL, 
	place VARCHAR NOT NULL, 
	channel VARCHAR NOT NULL, 
	reference VARCHAR NOT NULL, 
	thread VARCHAR NOT NULL, 
	mount VARCHAR NOT NULL, 
	lamp VARCHAR NOT NULL, 
	supply_pin VARCHAR NOT NULL, 
	fuse VARCHAR NOT NULL, 
	signal_pin VARCHAR NOT NULL, 
	return_pin VARCHAR NOT NULL, 
	return_with VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	fitted BOOLEAN NOT NULL, 
	rises BOOLEAN NOT NULL, 
	low_kpa FLOAT, 
	high_kpa FLOAT, 
	low_c FLOAT, 
	high_c FLOAT, 
	low_v FLOAT, 
	high_v FLOAT, 
	line_m FLOAT, 
	bore_mm FLOAT, 
	tee_turns FLOAT, 
	belt_mm FLOAT, 
	supply_v FLOAT, 
	return_ma FLOAT, 
	return_ohm FLOAT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "sensors" VALUES('00000000000000000000000000000020','00000000000000000000000000000001','00000000000000000000000000000021','P1','2026-04-01','','pressure','main gallery','','gauge','','on the block','not looked at','','','','','','',1,0,0.0,1000.0,NULL,NULL,0.5,4.5,NULL,NULL,NULL,NULL,NULL,NULL,NULL);
INSERT INTO "sensors" VALUES('00000000000000000000000000000022','00000000000000000000000000000001','00000000000000000000000000000021','P1','2026-05-01','hung on a line','pressure','main gallery','','gauge','','on a flexible line','not looked at','','','','','','',1,0,0.0,1000.0,NULL,NULL,0.5,4.5,0.6,NULL,NULL,NULL,NULL,NULL,NULL);
CREATE TABLE sessions (
	id VARCHAR NOT NULL, 
	car VARCHAR NOT NULL, 
	build VARCHAR NOT NULL, 
	title VARCHAR NOT NULL, 
	began VARCHAR NOT NULL, 
	kind VARCHAR NOT NULL, 
	circuit VARCHAR NOT NULL, 
	weather VARCHAR NOT NULL, 
	air_c FLOAT, 
	fuel VARCHAR NOT NULL, 
	tyres VARCHAR NOT NULL, 
	driver VARCHAR NOT NULL, 
	accumulator VARCHAR NOT NULL, 
	map VARCHAR NOT NULL, 
	log_name VARCHAR NOT NULL, 
	log_hash VARCHAR NOT NULL, 
	running_s FLOAT, 
	hot_s FLOAT, 
	distance_km FLOAT, 
	laps INTEGER, 
	peak_oil_c FLOAT, 
	lamp_rpm FLOAT, 
	note VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(car) REFERENCES cars (id) DEFERRABLE INITIALLY DEFERRED, 
	FOREIGN KEY(build) REFERENCES builds (id) DEFERRABLE INITIALLY DEFERRED
);
INSERT INTO "sessions" VALUES('00000000000000000000000000000005','00000000000000000000000000000001','00000000000000000000000000000004','Stint 1','2026-05-01T10:00:00','track','Harrowfell','',NULL,'','','','unknown','','','hash0',900.0,NULL,24.0,7,NULL,NULL,'');
INSERT INTO "sessions" VALUES('00000000000000000000000000000006','00000000000000000000000000000001','00000000000000000000000000000004','Stint 2','2026-05-02T10:00:00','track','Harrowfell','',NULL,'','','','unknown','','','hash1',900.0,NULL,24.0,7,NULL,NULL,'');
INSERT INTO "sessions" VALUES('00000000000000000000000000000007','00000000000000000000000000000001','00000000000000000000000000000004','Stint 3','2026-05-03T10:00:00','track','Harrowfell','',NULL,'','','','unknown','','','hash2',900.0,NULL,24.0,7,NULL,NULL,'');
CREATE INDEX ix_attachments_car ON attachments (car);
CREATE INDEX ix_builds_car ON builds (car);
CREATE INDEX ix_engines_car ON engines (car);
CREATE INDEX ix_levels_car ON levels (car);
CREATE INDEX ix_oil_car ON oil (car);
CREATE INDEX ix_samples_car ON samples (car);
CREATE INDEX ix_jobs_car ON jobs (car);
CREATE INDEX ix_sessions_car ON sessions (car);
CREATE INDEX ix_sensors_car ON sensors (car);
CREATE INDEX ix_calibrations_car ON calibrations (car);
CREATE INDEX ix_normals_car ON normals (car);
CREATE INDEX ix_floors_car ON floors (car);
CREATE INDEX ix_oil_sheets_car ON oil_sheets (car);
CREATE INDEX ix_circuits_car ON circuits (car);
CREATE INDEX ix_rulings_car ON rulings (car);
CREATE INDEX ix_arrivals_car ON arrivals (car);
CREATE INDEX ix_pans_car ON pans (car);
CREATE INDEX ix_accumulators_car ON accumulators (car);
COMMIT;
