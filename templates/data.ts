// Lines of text to records to a table

const text = `
06:10 Heron  slate  18
07:25 Otter  timber 12
09:40 Heron  lime    9
11:05 Plover slate  21
`;

const passages = text
  .trim()
  .split('\n')
  .map((line) => {
    const [time, barge, cargo, tonnes] = line.split(/\s+/);
    return { time, barge, cargo: cargo!, tonnes: Number(tonnes) };
  });

console.table(passages);

const tonnes = new Map<string, number>();
for (const { cargo, tonnes: more } of passages) tonnes.set(cargo, (tonnes.get(cargo) ?? 0) + more);
tonnes;
