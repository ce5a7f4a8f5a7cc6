/** What both sides of a connection know. No library here: it is read inside of targets. */

/** The environment variable in which what a live program starts finds where to come, as JSON. */
export const INVITATION = 'USHER_ANVIL_LIVE';

/** Members of an opened value come in pages of at most this many. */
export const PAGE = 100;

/** The global symbol under which modules that the engine loads by itself find the runtime. */
export const LIVE = 'usher-anvil/live@1';

/** The global symbol under which a process that takes part has its stacks, for a second target in it. */
export const STACKS = 'usher-anvil/stacks@1';

/** Files of a folder that are listed; there may be more. */
export const MOST_LISTED = 500;

/** Why a target cannot stand still. */
export const NO_DEBUGGER = 'the engine has no debugger here';

/** Functions of a unit of counts are numbered below this, and the unit counts these. */
export const FUNCTIONS_OF_UNIT = 100_000;
/** The number of a function that has no versions. */
export const NO_FUNCTION = -1;
