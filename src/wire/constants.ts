/** What both sides of a connection know. No library here: it is read inside of targets. */

/** The environment variable in which what a live program starts finds where to come, as JSON. */
export const INVITATION = 'USHER_ANVIL_LIVE';

/** Members of an opened value come in pages of at most this many. */
export const PAGE = 100;
