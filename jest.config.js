/** One project a package; tests sit beside the code and reach other packages by their source. */
const transform = {
  '^.+\\.tsx?$': [
    'ts-jest',
    {
      diagnostics: false,
      tsconfig: {
        target: 'es2022',
        module: 'commonjs',
        moduleResolution: 'node10',
        ignoreDeprecations: '6.0',
        experimentalDecorators: true,
        useDefineForClassFields: false,
        emitDecoratorMetadata: true,
        esModuleInterop: true,
        isolatedModules: true,
        jsx: 'react-jsx',
        types: ['node', 'jest'],
      },
    },
  ],
};

const project = (name) => ({
  displayName: name,
  rootDir: `${__dirname}/packages/${name}`,
  testMatch: ['<rootDir>/src/**/*.test.ts'],
  transform,
  moduleNameMapper: { '^@tantamos/(\\w+)$': `${__dirname}/packages/$1/src` },
  testEnvironment: 'node',
});

module.exports = {
  projects: [
    ...['bench', 'core', 'client', 'demo', 'service', 'cli', 'console'].map(project),
    { ...project('house'), rootDir: `${__dirname}/house`, testMatch: ['<rootDir>/*.test.ts'] },
  ],
  maxWorkers: 2,
  testTimeout: 300_000,
};
