import type { PlaneName } from '@clean-sieve/core';
import type Feature from 'ol/Feature.js';
import VectorSource from 'ol/source/Vector.js';
import { useNotices } from '../stores/notices.ts';

/**
 * What comes when it is first drawn, all at once; a map counts as drawn when it is there.
 * @param plane what it is drawn on; once that is another one the source has to be refreshed
 */
export function groundSource(load: (plane: PlaneName) => Promise<Feature[]>, plane: () => PlaneName): VectorSource {
  const source: VectorSource = new VectorSource({
    loader: (_extent, _resolution, _projection, done, failed) => {
      const wanted = plane();
      load(wanted).then(
        (features) => {
          // Another plane has come meanwhile, and asks for itself.
          if (wanted === plane()) source.addFeatures(features);
          done?.(features);
        },
        (error: unknown) => {
          failed?.();
          useNotices().complain(error);
        },
      );
    },
  });
  return source;
}
