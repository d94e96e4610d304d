/** Characters that a password has at least. */
export const shortestPassword = 8;
