export * from './services';
export { createApp } from './http/app';
export { Database } from './database/database';
export { demoAccounts, needAccounts } from './accounts/demo-accounts';
