/** A mesh of the stack: where it lies, and the share of the source that is left below it. */
export interface Mesh {
  y: number;
  /** 0 to 1. */
  share: number;
}

/** Height over which the stream narrows below a mesh, in pixels. */
const BEND = 26;

/** Width of the stream: the square root keeps small shares visible; what is not empty is never thinner than a thread. */
export function streamWidth(share: number, width: number): number {
  return share <= 0 ? 0 : Math.max(3, Math.sqrt(Math.min(1, share)) * width);
}

/** SVG outline of a stream that runs from the top to the foot and narrows at each mesh. */
export function streamPath(meshes: readonly Mesh[], width: number, height: number): string {
  let path = `M0,0H${width}`;
  let edge = width;
  meshes.forEach(({ y, share }, i) => {
    const next = streamWidth(share, width);
    const room = (meshes[i + 1]?.y ?? height) - y;
    const bend = Math.min(BEND, room);
    path += `V${round(y)}C${round(edge)},${round(y + bend * 0.6)} ${round(next)},${round(y + bend * 0.4)} ${round(next)},${round(y + bend)}`;
    edge = next;
  });
  return `${path}V${round(height)}H0Z`;
}

const round = (value: number) => Math.round(value * 10) / 10;
