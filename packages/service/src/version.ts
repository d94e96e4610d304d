/** The program's version, as /api/health says it. */
export const version = '0.1.0';
