export * from './load';
export { leftAlone, meadowline, people } from './meadowline';
