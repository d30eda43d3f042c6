export default {
  roots: ['<rootDir>/packages', '<rootDir>/demo', '<rootDir>/tests'],
  testMatch: ['**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  moduleNameMapper: {
    '^@clean-sieve/core$': '<rootDir>/packages/core/src/index.ts',
    '^@clean-sieve/core/(.*)$': '<rootDir>/packages/core/src/$1.ts',
  },
  transform: { '\\.ts$': '<rootDir>/scripts/jest-transform.mjs' },
  testEnvironment: 'node',
  setupFiles: ['<rootDir>/scripts/jest-setup.mjs'],
  // Unless told, one processor is left idle, which on two is half of the machine.
  maxWorkers: '100%',
  // A busy machine is no failure.
  testTimeout: 30_000,
};
