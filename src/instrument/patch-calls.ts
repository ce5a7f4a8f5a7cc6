/** The calls that patch points make, as they stand in instrumented code. */

/** A call that a patch point makes. The runtime, which knows no other layer, has the same expression. */
export const PATCH_CALL = /\$ua_*(?:p(?:\d+\.f\d+|\[\d+\])(?:\([^()]*\))?(?:\.(?:apply|call))?|m\.construct)\(/g;
