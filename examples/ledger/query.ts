/**
 * A query's workbench: the query is written in code, its text and its parsed form are there at each edit, and it is sent
 * only when a person opens the gate. `usher-anvil open ledger/query.ts`; with a database server at `WENLOW_DATABASE`.
 */
import { parseFirst } from 'pgsql-ast-parser';
import { dial, gate, show, table } from 'usher-anvil/pad';
import { openLedger } from './database.ts';

const lock = dial('lock', 'Alder', ['Alder', 'Birch', 'Cress', 'Dun', 'Elm']);
const least = dial('pence at least', 500, { min: 0, max: 3000, step: 50 });

const query = select(['barge', 'pence']).from('charges').where('lock', '=', lock).where('pence', '>=', least).orderBy('pence');

show(query.text, 'the query');
show(query.given, 'what is given');
show(parseFirst(query.text), 'parsed');

const ledger = await openLedger();
const rows = await gate('ask the database', () => ledger.rows(query.text, query.given));
table(rows, ledger.where);

/** A query that is put together by calls: each gives another one. */
function select(columns: string[], table = '', terms: string[] = [], given: (string | number)[] = [], order = '') {
  const conditions = terms.length > 0 ? ` where ${terms.join(' and ')}` : '';
  return {
    text: `select ${columns.join(', ')} from ${table}${conditions}${order}`,
    given,
    from: (name: string) => select(columns, name, terms, given, order),
    where: (column: string, sign: string, value: string | number) =>
      select(columns, table, [...terms, `${column} ${sign} $${given.length + 1}`], [...given, value], order),
    orderBy: (column: string) => select(columns, table, terms, given, ` order by ${column}`),
  };
}
