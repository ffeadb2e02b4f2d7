/** Every automatable parameter as the core declares it: made by setup/make-api-types, not by hand. */
// prettier-ignore
export const PARAMETERS = {
  pan: { title: "Left–right", low: -1.0, high: 1.0, unit: "left to right", display: "place", default: 0.0, of: ["source", "send", "return", "layer"] },
  level: { title: "Level", low: -96.0, high: 12.0, unit: "dB", display: "level", default: 0.0, of: ["source", "send", "return", "group", "layer"] },
  trim: { title: "Level trim", low: -96.0, high: 12.0, unit: "dB", display: "level", default: 0.0, of: ["source"] },
  pan_left: { title: "Left side", low: -1.0, high: 1.0, unit: "left to right", display: "place", default: -1.0, of: ["source"] },
  pan_right: { title: "Right side", low: -1.0, high: 1.0, unit: "left to right", display: "place", default: 1.0, of: ["source"] },
  level_left: { title: "Left level", low: -96.0, high: 12.0, unit: "dB", display: "level", default: 0.0, of: ["source"] },
  level_right: { title: "Right level", low: -96.0, high: 12.0, unit: "dB", display: "level", default: 0.0, of: ["source"] },
  width_left: { title: "Left side's width", low: 0.0, high: 1.0, unit: "of the field", display: "share", default: 0.0, of: ["source"] },
  width_right: { title: "Right side's width", low: 0.0, high: 1.0, unit: "of the field", display: "share", default: 0.0, of: ["source"] },
  span: { title: "Span", low: -1.0, high: 1.0, unit: "half widths of the field", display: "share", default: 1.0, of: ["source", "layer"] },
  width: { title: "Width", low: 0.0, high: 2.0, unit: "times the source's own", display: "share", default: 1.0, of: ["source", "return"] },
  front: { title: "Front–back", low: -1.0, high: 1.0, unit: "back to front", display: "front", default: 1.0, of: ["source", "send", "return", "layer"] },
  height: { title: "Height", low: -1.0, high: 1.0, unit: "down to up", display: "height", default: 0.0, of: ["source", "send", "return", "layer"] },
  front_left: { title: "Left side front–back", low: -1.0, high: 1.0, unit: "back to front", display: "front", default: 1.0, of: ["source"] },
  front_right: { title: "Right side front–back", low: -1.0, high: 1.0, unit: "back to front", display: "front", default: 1.0, of: ["source"] },
  height_left: { title: "Left side height", low: -1.0, high: 1.0, unit: "down to up", display: "height", default: 0.0, of: ["source"] },
  height_right: { title: "Right side height", low: -1.0, high: 1.0, unit: "down to up", display: "height", default: 0.0, of: ["source"] },
  spread: { title: "Spread", low: 0.0, high: 360.0, unit: "degrees", display: "degrees", default: 0.0, of: ["source", "send", "return", "layer"] },
  rotation: { title: "Rotation", low: -7200.0, high: 7200.0, unit: "degrees to the left", display: "degrees", default: 0.0, of: ["source", "return", "layer", "room"] },
  envelop: { title: "Envelopment", low: 0.0, high: 1.0, unit: "of the reverb's tail is diffuse", display: "share", default: 0.7, of: ["return"] },
  centre: { title: "Centre share", low: 0.0, high: 1.0, unit: "of what the centre speaker has", display: "share", default: 1.0, of: ["source"] },
  lfe: { title: "LFE", low: -96.0, high: 12.0, unit: "dB", display: "level", default: -96.0, of: ["source"] },
  pulse_depth: { title: "Pulse depth", low: 0.0, high: 1.0, unit: "of full depth", display: "share", default: 1.0, of: ["source", "send", "return", "group"] },
  pulse_period: { title: "Pulse cycle", low: 0.0625, high: 64.0, unit: "beats", display: "beats", default: 1.0, of: ["source", "send", "return", "group"] },
  pulse_rate: { title: "Pulse rate", low: 0.02, high: 64.0, unit: "Hz", display: "hertz", default: 1.0, of: ["source", "send", "return", "group"] },
} as const;

export type Parameter = keyof typeof PARAMETERS;
