import type { TakingIn } from "../shared/api";

/** The files of the folder taken in last that are no clips, and the checksum lists that lay there. */
export function SkippedFiles({ last }: { last: TakingIn }) {
  return (
    <div className="passed">
      <p className="second mono">{last.folder}</p>
      {last.lists.length > 0 && (
        <table>
          <caption>Checksum lists</caption>
          <tbody>
            {last.lists.map((one) => (
              <tr key={one.name}>
                <th className="mono">{one.name}</th>
                <td>{one.fault || `${one.files} files named`}</td>
                <td>{one.missing.length > 0 && `not there: ${one.missing.join(", ")}`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <table>
        <caption>Skipped</caption>
        <tbody>
          {last.passed.map((one, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: two folders may hold files of one name
            <tr key={place}>
              <th className="mono">{one.name}</th>
              <td>{one.reason}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
