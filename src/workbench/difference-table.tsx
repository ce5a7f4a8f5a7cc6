/** Where received and expected differ, place by place. */
import type { ErrorMessage } from '../server/protocol.js';

/** What was received and what was expected, where they differ. */
export function DifferenceTable({ differences }: { differences: NonNullable<ErrorMessage['differences']> }) {
  const { lines, rest } = differences;
  const paths = lines.some((line) => line.path !== '');
  return (
    <table className="differences">
      <thead>
        <tr>
          {paths ? <th>at</th> : null}
          <th>received</th>
          <th>expected</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line, index) => (
          <tr key={index} title={line.note}>
            {paths ? <td className="path">{line.path}</td> : null}
            <td className="received">{line.received}</td>
            <td className="expected">{line.expected}</td>
            {line.note ? <td className="dim">{line.note}</td> : null}
          </tr>
        ))}
      </tbody>
      {rest ? (
        <tfoot>
          <tr>
            <td colSpan={4} className="dim">
              {rest}
            </td>
          </tr>
        </tfoot>
      ) : null}
    </table>
  );
}
