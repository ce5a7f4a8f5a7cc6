/** The pads whose name begins with `night` run in the canal's winter time, with a little less memory to spare. */
export default {
  name: 'the night shift',
  for: (file) => /[\\/]night[^\\/]*$/.test(file),
  command: ({ args, env, ...rest }) => ({ ...rest, args, env: { ...env, TZ: 'Etc/GMT-1', CANAL_SHIFT: 'night' } }),
};
