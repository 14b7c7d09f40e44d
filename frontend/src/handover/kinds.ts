/** What can be handed over, and what each carries. */

export const FORMATS = [
  { id: "cdl", name: ".cdl", carries: "one decision a shot: the ten numbers" },
  { id: "cc", name: ".cc", carries: "one correction a shot: the ten numbers" },
  { id: "ccc", name: ".ccc", carries: "one collection a family: the ten numbers of each shot" },
  {
    id: "cube",
    name: ".cube",
    carries: "the whole correction but for areas, recorded code values to display",
  },
  { id: "otio", name: ".otio", carries: "the line-up, each use with its ten numbers" },
  { id: "edl", name: ".edl", carries: "the same, with ASC_SOP and ASC_SAT comments" },
  { id: "clf", name: ".clf", carries: "all that acts on colours by themselves, ACEScct to ACEScct" },
  {
    id: "amf",
    name: ".amf",
    carries:
      "the way from recording to display: encoding, ten numbers, output; the rest in CLF files beside it",
  },
] as const;

export const CLIPS = [
  {
    id: "prores-4444",
    name: "ProRes 4444",
    carries: "10 bits, colour at full width: shows what the Desk shows",
  },
  { id: "prores-422", name: "ProRes 422 HQ", carries: "10 bits, for editing" },
  { id: "hevc", name: "HEVC", carries: "4:2:0, 10 bits" },
  { id: "h264", name: "H.264", carries: "4:2:0, 8 bits, for viewing" },
  { id: "dpx", name: "DPX", carries: "a folder of stills, 10 bits" },
  {
    id: "exr",
    name: "EXR",
    carries: "a folder of stills: the scene's light, ACES2065-1, before output and finish",
  },
  { id: "tiff", name: "TIFF", carries: "a folder of stills, 16 bits" },
  { id: "png", name: "PNG", carries: "a folder of stills, 16 bits" },
] as const;

/** Kinds that are a folder of stills, which is not fetched through the page. */
export const STILLS = ["dpx", "exr", "tiff", "png"];

export const WIDTHS = [
  { width: null, text: "as wide as the clip" },
  { width: 1920, text: "1920 wide, if the clip is wider" },
  { width: 1280, text: "1280 wide, if the clip is wider" },
  { width: 960, text: "960 wide, if the clip is wider" },
] as const;

/** Shapes that pictures can be cut to, about their middle. */
export const SHAPES = [
  { aspect: null, text: "whole" },
  { aspect: 2.39, text: "cut to 2.39 : 1" },
  { aspect: 1.85, text: "cut to 1.85 : 1" },
  { aspect: 16 / 9, text: "cut to 16 : 9" },
  { aspect: 4 / 3, text: "cut to 4 : 3" },
  { aspect: 1, text: "cut square" },
] as const;

export const CUBE_SIZES = [17, 33, 65] as const;

/** What a file's name can be made of. */
export const WORDS = "{name} {scene} {family} {camera} {roll} {clip} {timecode} {day}";
