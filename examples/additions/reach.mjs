/** A list of locks along the canal, drawn as the steps of its water. */
const isLock = (one) => typeof one?.at === 'number' && typeof one?.lift === 'number';

export default {
  name: 'the reach of locks',
  of(data) {
    if (!Array.isArray(data) || data.length < 2 || !data.every(isLock)) return undefined;
    let level = 0;
    const points = [[0, 0]];
    const labels = [];
    for (const { at, lift, name } of data) {
      points.push([at, -level], [at, -(level += lift)]);
      labels.push({ shape: 'point', x: at, y: -level, label: `${name ?? 'lock'}, ${lift} m` });
    }
    const end = data.at(-1).at + 1;
    points.push([end, -level]);
    return {
      view: 'drawing',
      shapes: [{ shape: 'path', points, closed: false, label: 'water' }, ...labels],
      box: [0, -Math.max(1, level), end, Math.max(1, level)],
    };
  },
};
