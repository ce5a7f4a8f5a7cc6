// The toll ledger: charges in an SQL database. The query stays live; the charge happens when the gate is opened.
import initSqlJs from 'sql.js';
import { gate, dial, table } from 'usher-anvil/pad';

const SQL = await initSqlJs();
const db = new SQL.Database();
db.run('create table charges (barge text, lock text, pence integer)');
db.run("insert into charges values ('Heron', 'Alder', 850), ('Otter', 'Alder', 1050), ('Kestrel', 'Dun', 2170), ('Teal', 'Cress', 1720)");

const lock = dial('lock', 'Alder', ['Alder', 'Birch', 'Cress', 'Dun', 'Elm']);
const surcharge = dial('night surcharge', 0.5, { min: 0, max: 1, step: 0.05 });

// The text of the query, and whom it would touch, at every edit and every turn of a dial.
const query = `update charges set pence = round(pence * ${1 + surcharge}) where lock = '${lock}'`;
const touched = db.exec(`select barge, pence, round(pence * ${1 + surcharge}) as after from charges where lock = '${lock}'`);
table(touched[0]?.values.map(([barge, pence, after]) => ({ barge, pence, after })) ?? [], 'would be charged');

// Only a person opens it: the button, Ctrl Alt G, or --open "charge the ledger".
const changed = await gate('charge the ledger', () => {
  db.run(query);
  return db.getRowsModified();
});

const total = db.exec('select sum(pence) from charges')[0]?.values[0]?.[0];
`${changed} charged, ${total} pence in the ledger`;
