/** Shapes tell sieves apart where colour does not. */
export type Shape = 'disc' | 'square' | 'triangle' | 'diamond' | 'hexagon' | 'cross' | 'drop' | 'ring';

/**
 * Sieve colours: lightness and hue differ enough to be told apart with any of the common colour deficiencies, and each
 * comes with a shape and a hatch angle.
 */
export const PALETTE: readonly { colour: string; onDark: string; shape: Shape; hatch: number; name: string }[] = [
  { colour: '#b85a26', onDark: '#e58a4e', shape: 'disc', hatch: 45, name: 'copper' },
  { colour: '#2563a8', onDark: '#74aeea', shape: 'square', hatch: 0, name: 'blue' },
  { colour: '#787a10', onDark: '#c0c04a', shape: 'triangle', hatch: 90, name: 'olive' },
  { colour: '#8c3a7a', onDark: '#d78cc6', shape: 'diamond', hatch: 135, name: 'plum' },
  { colour: '#15808a', onDark: '#57c4cd', shape: 'hexagon', hatch: 20, name: 'lagoon' },
  { colour: '#3f4a63', onDark: '#a9b5d3', shape: 'cross', hatch: 65, name: 'slate' },
  { colour: '#c0392f', onDark: '#f28579', shape: 'drop', hatch: 110, name: 'brick' },
  { colour: '#5d4037', onDark: '#c9a596', shape: 'ring', hatch: 160, name: 'umber' },
];

/** The colour of a mark as it can be seen on the ground of the theme. */
export const colourOf = (number: number, dark: boolean): string => PALETTE[number][dark ? 'onDark' : 'colour'];

/** Outline of a shape in a box from −1 to 1, as an SVG path. */
export const SHAPE_PATHS: Record<Shape, string> = {
  disc: 'M-1,0A1,1 0 1 1 1,0A1,1 0 1 1 -1,0Z',
  square: 'M-.86,-.86H.86V.86H-.86Z',
  triangle: 'M0,-1.05L1.05,.8H-1.05Z',
  diamond: 'M0,-1.15L1.15,0L0,1.15L-1.15,0Z',
  hexagon: 'M-.5,-.95H.5L1.05,0L.5,.95H-.5L-1.05,0Z',
  cross: 'M-.38,-1H.38V-.38H1V.38H.38V1H-.38V.38H-1V-.38H-.38Z',
  drop: 'M0,-1.2C.5,-.5 .95,-.1 .95,.3A.95,.9 0 0 1 -.95,.3C-.95,-.1 -.5,-.5 0,-1.2Z',
  ring: 'M-1,0A1,1 0 1 1 1,0A1,1 0 1 1 -1,0ZM-.45,0A.45,.45 0 1 0 .45,0A.45,.45 0 1 0 -.45,0Z',
};
