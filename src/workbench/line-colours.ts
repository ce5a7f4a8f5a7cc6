/** Colours of lines: told apart by colour and by name, in both themes. */
export const LINE_COLOURS = [
  '#2f7fb8',
  '#d9711f',
  '#3d9a76',
  '#9a5fd0',
  '#b8860b',
  '#c2507a',
  '#5f7f2f',
  '#4f6fd8',
  '#9c5a3c',
  '#3fa3b0',
  '#8a8a2a',
  '#b04fb0',
];
