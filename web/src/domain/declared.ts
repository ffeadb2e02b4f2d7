/** Every automatable parameter as the core declares it: made by setup/make-api-types, not by hand. */
// prettier-ignore
export const PARAMETERS = {
  pan: {"low": -1.0, "high": 1.0, "unit": "left to right", "display": "place", "in_room": false, "defaults": {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}},
  level: {"low": -96.0, "high": 12.0, "unit": "dB", "display": "level", "in_room": false, "defaults": {"source": 0.0, "send": -96.0, "return": 0.0, "group": 0.0, "layer": 0.0}},
  trim: {"low": -96.0, "high": 12.0, "unit": "dB", "display": "level", "in_room": false, "defaults": {"source": 0.0}},
  pan_left: {"low": -1.0, "high": 1.0, "unit": "left to right", "display": "place", "in_room": false, "defaults": {"source": -1.0}},
  pan_right: {"low": -1.0, "high": 1.0, "unit": "left to right", "display": "place", "in_room": false, "defaults": {"source": 1.0}},
  level_left: {"low": -96.0, "high": 12.0, "unit": "dB", "display": "level", "in_room": false, "defaults": {"source": 0.0}},
  level_right: {"low": -96.0, "high": 12.0, "unit": "dB", "display": "level", "in_room": false, "defaults": {"source": 0.0}},
  width_left: {"low": 0.0, "high": 1.0, "unit": "of the field", "display": "share", "in_room": false, "defaults": {"source": 0.0}},
  width_right: {"low": 0.0, "high": 1.0, "unit": "of the field", "display": "share", "in_room": false, "defaults": {"source": 0.0}},
  span: {"low": -1.0, "high": 1.0, "unit": "half widths of the field", "display": "share", "in_room": false, "defaults": {"source": 1.0, "layer": 1.0}},
  width: {"low": 0.0, "high": 2.0, "unit": "times the source's own", "display": "share", "in_room": false, "defaults": {"source": 1.0, "return": 1.0}},
  front: {"low": -1.0, "high": 1.0, "unit": "back to front", "display": "front", "in_room": true, "defaults": {"source": 1.0, "send": 1.0, "return": 0.0, "layer": 1.0}},
  height: {"low": -1.0, "high": 1.0, "unit": "down to up", "display": "height", "in_room": true, "defaults": {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}},
  front_left: {"low": -1.0, "high": 1.0, "unit": "back to front", "display": "front", "in_room": true, "defaults": {"source": 1.0}},
  front_right: {"low": -1.0, "high": 1.0, "unit": "back to front", "display": "front", "in_room": true, "defaults": {"source": 1.0}},
  height_left: {"low": -1.0, "high": 1.0, "unit": "down to up", "display": "height", "in_room": true, "defaults": {"source": 0.0}},
  height_right: {"low": -1.0, "high": 1.0, "unit": "down to up", "display": "height", "in_room": true, "defaults": {"source": 0.0}},
  spread: {"low": 0.0, "high": 360.0, "unit": "degrees", "display": "degrees", "in_room": true, "defaults": {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}},
  rotation: {"low": -7200.0, "high": 7200.0, "unit": "degrees to the left", "display": "degrees", "in_room": true, "defaults": {"source": 0.0, "return": 0.0, "layer": 0.0, "room": 0.0}},
  envelopment: {"low": 0.0, "high": 1.0, "unit": "of the reverb's tail is diffuse", "display": "share", "in_room": true, "defaults": {"return": 0.7}},
  centre_level: {"low": 0.0, "high": 1.0, "unit": "of what the centre speaker has", "display": "share", "in_room": true, "defaults": {"source": 1.0}},
  lfe: {"low": -96.0, "high": 12.0, "unit": "dB", "display": "level", "in_room": true, "defaults": {"source": -96.0}},
  pulse_depth: {"low": 0.0, "high": 1.0, "unit": "of full depth", "display": "share", "in_room": false, "defaults": {"source": 1.0, "send": 1.0, "return": 1.0, "group": 1.0}},
  pulse_period: {"low": 0.0625, "high": 64.0, "unit": "beats", "display": "beats", "in_room": false, "defaults": {"source": 1.0, "send": 1.0, "return": 1.0, "group": 1.0}},
  pulse_rate: {"low": 0.02, "high": 64.0, "unit": "Hz", "display": "hertz", "in_room": false, "defaults": {"source": 1.0, "send": 1.0, "return": 1.0, "group": 1.0}},
} as const;

/** The version of documents whose names the interface uses. */
export const DOCUMENT_VERSION = 9;

export type Parameter = keyof typeof PARAMETERS;
