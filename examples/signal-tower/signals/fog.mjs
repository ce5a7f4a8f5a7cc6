/** Lamps in fog, more of them the less is seen. */
export function activate(tower) {
  tower.register('fog', ({ sight }, boats) => {
    if (sight > 400) return '';
    const lamps = Math.ceil((400 - sight) / 100);
    return `${lamps} lamps for boat ${boats}`;
  });
}
