/** A published relation of a datum to WGS 84 that stands in for a grid that does not ship. */
export interface DatumShift {
  /** Translations (m), rotations (arc-seconds, position vector) and scale (10⁻⁶), as +towgs84 has them. */
  parameters: string;
  source: string;
  metres: number;
}

/** By the name of the grid that the EPSG list asks for. Parameters from memory of the EPSG register entries named. */
export const DATUM_SHIFTS: Record<string, DatumShift> = {
  'OSTN15_NTv2_OSGBtoETRS.gsb': {
    parameters: '446.448,-125.157,542.06,0.15,0.247,0.842,-20.489',
    source: 'the seven-parameter transformation EPSG:1314',
    metres: 5,
  },
  'BETA2007.gsb': {
    parameters: '598.1,73.7,418.2,0.202,0.045,-2.455,6.7',
    source: 'the seven-parameter transformation EPSG:1777',
    metres: 3,
  },
  'nzgd2kgrid0005.gsb': {
    parameters: '59.47,-5.04,187.44,0.47,-0.1,1.024,-4.5993',
    source: 'the seven-parameter transformation EPSG:1564',
    metres: 4,
  },
  'NTv2_0.gsb': {
    parameters: '-10,158,187',
    source: 'the three-parameter transformation EPSG:1172 (Canada)',
    metres: 20,
  },
};
