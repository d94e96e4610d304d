/** A search that takes longer than this is stopped and says so, in ms. */
export const longestSearch = 30_000;
