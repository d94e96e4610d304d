/** Numbers are below this in size; beyond, a result is blank. */
export const mostNumber = 1e100;
/** Digits after the point; more are rounded, half away from zero. */
export const mostDecimals = 30;
/** Characters of a text that a function gives; beyond, the result is blank. */
export const mostCharacters = 1_000_000;
/** Digits after the point of a quotient. */
export const quotientDecimals = 16;
/** 0001-01-01 and 9999-12-31, in days since 1970-01-01: before and after, dates are beyond what is worked with. */
export const firstDay = -719_162;
export const lastDay = 2_932_896;
