export * from './bodies';
export * from './answers';
export * from './routes';
export * from './openapi';
