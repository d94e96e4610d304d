/** The program’s version, as its package says. */
export const version = '0.1.0';
