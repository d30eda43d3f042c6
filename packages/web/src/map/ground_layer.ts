import VectorImageLayer from 'ol/layer/VectorImage.js';
import VectorLayer from 'ol/layer/Vector.js';
import type Feature from 'ol/Feature.js';
import type { Options } from 'ol/layer/BaseVector.js';
import type VectorSource from 'ol/source/Vector.js';

/** How far beyond the view a kept picture reaches, so that land is there while the map is dragged. */
const REACH = 1.5;

export type GroundLayer = VectorLayer | VectorImageLayer;

/**
 * A layer of the ground.
 * @param isKept drawn once for a view and kept as a picture, so that nothing of it is drawn again with every picture of the features
 */
export const groundLayer = (options: Options<Feature, VectorSource>, isKept: boolean): GroundLayer =>
  isKept ? new VectorImageLayer({ ...options, imageRatio: REACH }) : new VectorLayer(options);
