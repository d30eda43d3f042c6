import { transformSync } from 'esbuild';

export default {
  process(source, file) {
    return transformSync(source, {
      loader: 'ts',
      format: 'esm',
      target: 'node20',
      sourcemap: 'inline',
      sourcefile: file,
    });
  },
};
