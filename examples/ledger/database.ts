/** The ledger's database: the server at `WENLOW_DATABASE`, or one in this process. */
import initSqlJs from 'sql.js';

export type Row = Record<string, string | number>;

export interface Ledger {
  where: string;
  rows(text: string, given: readonly (string | number)[]): Promise<Row[]>;
}

const CHARGES = `create table charges (barge text, lock text, pence integer);
insert into charges values ('Heron', 'Alder', 850), ('Otter', 'Alder', 1050), ('Kestrel', 'Dun', 2170), ('Teal', 'Cress', 1720);`;

export async function openLedger(): Promise<Ledger> {
  const address = process.env.WENLOW_DATABASE;
  return address ? atServer(address) : inProcess();
}

async function atServer(address: string): Promise<Ledger> {
  const { default: pg } = await import('pg');
  return {
    where: `PostgreSQL at ${new URL(address).host}`,
    async rows(text, given) {
      const client = new pg.Client({ connectionString: address });
      await client.connect();
      try {
        const answer = await client.query(text, [...given]);
        return answer.rows as Row[];
      } finally {
        await client.end();
      }
    },
  };
}

async function inProcess(): Promise<Ledger> {
  const SQL = await initSqlJs();
  const db = new SQL.Database();
  db.run(CHARGES);
  return {
    where: 'a database in this process: no server is at WENLOW_DATABASE',
    rows(text, given) {
      // Its parameters are called ?1 and not $1.
      const [answer] = db.exec(text.replace(/\$(\d+)/g, '?$1'), [...given]);
      const rows = answer?.values.map((row) => Object.fromEntries(row.map((value, i) => [answer.columns[i], value])));
      return Promise.resolve((rows ?? []) as Row[]);
    },
  };
}
