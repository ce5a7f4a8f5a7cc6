/**
 * A panel: queries of the ledger's database stand among the pieces of a request, with their answers. `usher-anvil live
 * ledger/office.mjs`, then `usher-anvil entries --show 'GET /charges/:lock'`.
 */
export default {
  library: 'sql.js',

  /** Methods of all databases are others while somebody watches. */
  async watch({ default: initSqlJs }, exchange) {
    const { prototype } = (await initSqlJs()).Database;
    const before = { exec: prototype.exec, run: prototype.run };
    for (const name of ['exec', 'run'])
      prototype[name] = function (text, given, ...rest) {
        const sent = exchange(given === undefined ? text : `${text} -- ${JSON.stringify(given)}`);
        try {
          const answer = before[name].call(this, text, given, ...rest);
          sent.end({ answer: name === 'exec' ? answer.map(rowsOf) : `${this.getRowsModified()} changed` });
          return answer;
        } catch (error) {
          sent.end({ failed: true, answer: error.message });
          throw error;
        }
      };
    return () => Object.assign(prototype, before);
  },
};

function rowsOf({ columns, values }) {
  return values.map((row) => Object.fromEntries(row.map((value, index) => [columns[index], value])));
}
