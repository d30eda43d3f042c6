import type Feature from 'ol/Feature.js';
import VectorLayer from 'ol/layer/Vector.js';
import OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { Fill, Stroke, Style } from 'ol/style.js';
import View from 'ol/View.js';
import type { MapFrame, Pass } from '../map/drawing/paint.ts';
import { wholePicture } from '../map/drawing/painter.ts';
import { FeatureLayer } from '../map/feature_layer.ts';
import { groundLayers } from '../map/layers/use_ground.ts';
import { labelLayer } from '../map/layers/use_labels.ts';
import type { Ground } from '../stores/map_show.ts';

/** What a picture shows: a middle in web Mercator metres, and the metres of that plane in a CSS pixel. */
export interface Sight {
  center: [number, number];
  resolution: number;
}

/** CSS pixels in a metre of paper. */
const PIXELS_PER_METRE = 96 / 0.0254;

/** The resolution at which a metre on paper is so many on the ground, at the latitude of the middle of the picture. */
export function resolutionOf(scale: number, latitude: number): number {
  return scale / PIXELS_PER_METRE / Math.cos((latitude * Math.PI) / 180);
}

/** The next scale in round steps at which a width and height of the ground fit on paper; lengths in metres. */
export function roundScale(ground: [number, number], paper: [number, number]): number {
  const least = Math.max(ground[0] / paper[0], ground[1] / paper[1], 1);
  const power = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 2.5, 5, 10].map((step) => step * power).find((scale) => scale >= least * (1 - 1e-9))!;
}

/** The longest round length that a scale bar of at most so many metres on the ground shows. */
export function barLength(most: number): number {
  const power = 10 ** Math.floor(Math.log10(most));
  return [5, 2, 1].map((step) => step * power).find((length) => length <= most)!;
}

export const lengthInWords = (metres: number) =>
  metres >= 1000 ? `${(metres / 1000).toLocaleString('en-GB')} km` : `${metres.toLocaleString('en-GB')} m`;

/**
 * Draws the map at any size and pixel density, beside the one on the screen.
 * @param areas that conditions are about, over the features @param labels what is written beside features
 * @param ground what is drawn below, beside the land
 * @param size in CSS pixels @param ratio pixels in one of those
 */
export async function mapPicture(
  size: [number, number],
  ratio: number,
  sight: Sight,
  passes: Pass[],
  areas: Feature[],
  labels: Feature[],
  ground: Ground,
  colours: { name: string; rim: string; land: string; coast: string; sea: string; river: string; violet: string },
): Promise<HTMLCanvasElement> {
  const [width, height] = size.map((side) => Math.round(side * ratio));
  const frame: MapFrame = { ...sight, plane: 'mercator', width, height, ratio };
  const picture = await wholePicture(frame, passes);
  const features = new FeatureLayer({ frame, picture, complete: true, deepest: 0 }, () => undefined);
  const target = document.createElement('div');
  Object.assign(target.style, { position: 'fixed', left: '-30000px', width: `${size[0]}px`, height: `${size[1]}px` });
  document.body.append(target);
  const outline = new Style({
    fill: new Fill({ color: `${colours.violet}14` }),
    stroke: new Stroke({ color: colours.violet, width: 1.8, lineDash: [6, 4] }),
  });
  const map = new OlMap({
    target,
    controls: [],
    interactions: [],
    pixelRatio: ratio,
    layers: [
      ...Object.values(
        groundLayers(
          () => colours,
          ground,
          () => 'mercator',
          false,
        ),
      ),
      features,
      new VectorLayer({ source: new VectorSource({ features: areas }), zIndex: 2, style: outline }),
      labelLayer(new VectorSource({ features: labels }), () => colours),
    ],
    view: new View({ ...sight, minResolution: 1e-6, constrainResolution: false, enableRotation: false }),
  });
  try {
    const drawn = new Promise((resolve) => map.once('rendercomplete', resolve));
    map.updateSize();
    map.renderSync();
    await drawn;
    const out = document.createElement('canvas');
    [out.width, out.height] = size.map((side) => Math.round(side * ratio));
    const context = out.getContext('2d')!;
    context.fillStyle = colours.sea;
    context.fillRect(0, 0, out.width, out.height);
    for (const canvas of target.querySelectorAll('canvas')) {
      if (canvas.width === 0) continue;
      context.drawImage(canvas, 0, 0, out.width, out.height);
    }
    return out;
  } finally {
    map.setTarget(undefined);
    picture.close();
    target.remove();
  }
}
