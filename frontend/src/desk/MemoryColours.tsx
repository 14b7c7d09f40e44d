import { type Mark, useScopes } from "../scopes/settings";
import { signed } from "../shared/marks";
import { useDesk } from "./state";

/** Skin, foliage, sky and neutrals: how much of each there is, where it lies, and how far off that is. */
export function MemoryColours() {
  const found = useDesk((state) => state.told?.familiar);
  const mark = useScopes((state) => state.mark);
  const choose = (name: string) => {
    useScopes.setState({ mark: mark === name ? "none" : (name as Mark) });
  };
  const digits = (value: number | undefined, count: number) =>
    value === undefined ? "–" : value.toFixed(count);
  return (
    <div className="memory-table">
      <table aria-label="Memory colours">
        <thead>
          <tr>
            <th>colour</th>
            <th className="num">%</th>
            <th className="num">L*</th>
            <th className="num">C*</th>
            <th className="num">hue</th>
            <th className="num">off</th>
          </tr>
        </thead>
        <tbody className="mono">
          {(found ?? []).map((one) => (
            <tr key={one.name}>
              <th>
                <button
                  type="button"
                  className="plain"
                  aria-pressed={mark === one.name}
                  onClick={() => choose(one.name)}
                  title="mark these pixels in the picture"
                >
                  {one.name}
                </button>
              </th>
              <td className="num">{(100 * one.share).toFixed(1)}</td>
              <td className="num">{digits(one.lightness, 0)}</td>
              <td className="num">{digits(one.chroma, 0)}</td>
              <td className="num">{one.hue === undefined ? "–" : `${one.hue.toFixed(0)}°`}</td>
              <td className="num">
                {one.off === undefined
                  ? "–"
                  : one.name === "neutrals"
                    ? one.off.toFixed(1)
                    : `${signed(one.off, 0)}°`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="second">
        off: from the skin line at 123°; foliage and sky from those patches of the 24-patch chart; neutrals in
        percent of chroma.
      </p>
    </div>
  );
}
