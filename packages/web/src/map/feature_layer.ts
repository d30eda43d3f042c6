import type { DisplayGeometry } from '@clean-sieve/core';
import Layer from 'ol/layer/Layer.js';
import type { FrameState } from 'ol/Map.js';
import { paintFeatures, type Frame, type Paint } from './feature_painter.ts';

/** One pass over a source's features. */
export interface Pass {
  display: DisplayGeometry;
  paint: Paint;
  mask: Uint32Array | null;
  invert?: boolean;
}

/** Draws all features of all sources from typed arrays, so that a changed mask costs one redraw. */
export class FeatureLayer extends Layer {
  #passes: Pass[] = [];
  #canvas: HTMLCanvasElement;
  #buffer: OffscreenCanvas;

  constructor() {
    super({ zIndex: 1 });
    this.#canvas = document.createElement('canvas');
    this.#canvas.style.position = 'absolute';
    this.#buffer = new OffscreenCanvas(1, 1);
  }

  setPasses(passes: Pass[]): void {
    this.#passes = passes;
    this.changed();
  }

  override getSourceState(): 'ready' {
    return 'ready';
  }

  override render(state: FrameState | null): HTMLElement {
    if (!state) return this.#canvas;
    const ratio = state.pixelRatio;
    const [width, height] = state.size.map((side) => Math.max(1, Math.round(side * ratio)));
    const canvas = this.#canvas;
    if (canvas.width !== width || canvas.height !== height) {
      canvas.width = this.#buffer.width = width;
      canvas.height = this.#buffer.height = height;
      canvas.style.width = `${state.size[0]}px`;
      canvas.style.height = `${state.size[1]}px`;
    }
    const context = this.#buffer.getContext('2d', { willReadFrequently: true })!;
    context.clearRect(0, 0, width, height);
    const { center, resolution } = state.viewState;
    const scale = ratio / resolution;
    for (const { display, paint, mask, invert } of this.#passes) {
      const frame: Frame = {
        ...{ width, height, scale, ratio },
        x: width / 2 + (display.origin[0] - center[0]) * scale,
        y: height / 2 - (display.origin[1] - center[1]) * scale,
      };
      paintFeatures(context, display, frame, paint, mask, invert);
    }
    const visible = canvas.getContext('2d')!;
    visible.clearRect(0, 0, width, height);
    visible.drawImage(this.#buffer, 0, 0);
    return canvas;
  }
}
