import type { Values } from "../shared/api";
import { Part } from "./Part";
import { editValues } from "./saving";
import { useDesk } from "./state";
import { findCameraPath } from "./treatment";

type Of<K extends Values["kind"]> = Extract<Values, { kind: K }>;

const deviation = ([luma, chroma]: [number, number]) => `${luma.toFixed(2)} and ${chroma.toFixed(2)}`;

/** How far noise is reduced, and what was measured of it before and after. */
export function DenoiseControls({ values }: { values: Of<"denoise"> }) {
  const noise = useDesk((state) => state.told?.noise);
  const full = useDesk((state) => state.told?.full ?? false);
  const part = (which: "luma" | "chroma", plain: number) => (
    <Part
      name={which === "luma" ? "Luma" : "Chroma"}
      unit="%"
      value={100 * values[which]}
      text={(100 * values[which]).toFixed(0)}
      step={1}
      range={[0, 100]}
      plain={plain}
      onSet={(amount) => ({ ...values, [which]: amount / 100 })}
    />
  );
  return (
    <div className="corrections">
      {part("luma", 60)}
      {part("chroma", 100)}
      <Part
        name="Frames either side"
        value={values.frames}
        text={values.frames.toFixed(0)}
        step={0.05}
        range={[0, 3]}
        plain={2}
        onSet={(frames) => ({ ...values, frames: Math.round(frames) })}
      />
      <p className="second about" role="status">
        {noise
          ? `Noise of luma and chroma here: ${deviation(noise.before)} % before, ${deviation(noise.after)} % after${
              full ? "" : " (of the preview)"
            }.`
          : "While it plays, frames are shown without it until they have been worked out."}
      </p>
    </div>
  );
}

/** How much of the camera's motion is kept, and what of the picture that costs. */
export function SteadyControls({ values }: { values: Of<"steady"> }) {
  const crop = useDesk((state) => state.told?.crop);
  const work = useDesk((state) => state.work);
  if (!values.path)
    return (
      <div className="corrections">
        <p className="second about">The camera’s motion is found first, on all frames of the shot.</p>
        <button
          type="button"
          className="plain boxed"
          disabled={work !== null}
          onClick={() => void findCameraPath()}
        >
          find the camera’s motion
        </button>
      </div>
    );
  return (
    <div className="corrections">
      <Part
        name="Motion kept"
        unit="%"
        value={100 * values.stays}
        text={(100 * values.stays).toFixed(0)}
        step={1}
        range={[0, 100]}
        plain={50}
        onSet={(stays) => ({ ...values, stays: stays / 100 })}
      />
      <p className="second about" role="status">
        {crop == null ? "" : `${(100 * crop).toFixed(1)} % of the width is lost at the edges. `}
        Slow motion is kept longest; at 0 % the camera stands still. Stabilise a shot before areas follow in
        it.
      </p>
      <button
        type="button"
        className="plain"
        title="the picture as it was recorded; the motion can be found again"
        onClick={() => editValues("camera’s motion forgotten", { ...values, path: null })}
      >
        forget the motion
      </button>
    </div>
  );
}
