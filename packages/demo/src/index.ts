export * from './load';
export { leftAlone, meadowline, people, priceList } from './meadowline';
