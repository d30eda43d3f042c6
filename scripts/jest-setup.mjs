import fc from 'fast-check';

// A counterexample is made smaller for so long at most, in milliseconds: numbers with many digits have no end otherwise.
fc.configureGlobal({ interruptAfterTimeLimit: 20_000 });
