/** Dovrel's own terms, each in one sentence: titles on the page, the list under `?`, and docs/guide/words.md come from here. */
export const GLOSSARY = {
  Reading:
    "one of ten measured numbers of a picture: red, green and blue in lows, mids and highs, and the saturation.",
  Target: "what a reading has to become; as a rule the reference's own reading.",
  Notch: "the mark of a target beside its reading, on the scopes.",
  Grip: "a handle on a scope; drag it, and the correction moves the reading with it.",
  Family: "shots of one place and light that should look alike.",
  Reference: "the frame that a family is matched to.",
  Level: "where a correction applies: to all shots of a camera, to one shot, to a family, or to the show.",
  Step: "one part of a level's correction, such as a CDL, curves or a pick; steps apply one after another.",
  Balance: "sets a shot's exposure and white from the picture itself.",
  Match: "makes a shot look like its reference, by what the two pictures share.",
  ΔE: "the mean colour difference (CIEDE2000) to the reference, over what the two pictures share.",
  "Worst tenth": "the ΔE that a tenth of the shared picture exceeds; it reports parts that the mean hides.",
  "Link path": "the shots through which a shot is compared with a reference that it shares little with.",
  Confidence: "how likely an answer is right, in percent.",
  Tie: "two boxes, one on the shot and one on the reference, that must look the same.",
  Pick: "a part of the picture selected by its colours.",
  Area: "a part of the picture selected by its place.",
  Rescue: "a step that rebuilds what the recording lost, such as a channel that is nearly gone.",
  "Extended step": "a matrix and curves after the CDL, for differences that a CDL cannot carry.",
  Hold: "keeps a subject, or the whole picture, as it looks at one frame, by keyframes.",
  "Steady light": "removes a slow drift of the camera's exposure or white, by keyframes.",
  Brush: "a range marked on a scope; its pixels stand out in the picture and on the other scopes.",
  "Memory colours": "skin, foliage, sky and neutrals, which every viewer knows.",
  Trim: "a camera's own step, the same for all its shots.",
  Finish: "steps on the display signal of the whole show, such as grain.",
} as const;

/** A term and its sentence, as a title says it. */
export const worded = (term: keyof typeof GLOSSARY) => `${term}: ${GLOSSARY[term]}`;
