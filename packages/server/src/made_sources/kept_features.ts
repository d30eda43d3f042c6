import { shapeChoiceInWords, TableBuilder, takeRows, type FeatureTable } from '@clean-sieve/core';
import type { MadeSourceOf } from '../api/contract.ts';
import { makeLayers } from '../export/make_layers.ts';
import { Source } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import type { MadeSource } from './made_source.ts';

/** What a tree keeps of another source, with what its note would say. */
export const keptFeatures: MadeSource<MadeSourceOf<'kept'>> = {
  check: ({ layer: { sourceId, tree } }, sifting, asOf) => sifting.ask('check', { sourceId, asOf }, { tree }),
  async make({ layer, name }, { orm, asOf, report }) {
    report(0, 'Sifting');
    const request = { title: name, format: 'geopackage', layers: [layer], within: null, zip: false, coordinates: null, guarded: false };
    const when = new Date();
    const { layers, note, cut } = await makeLayers(orm, request, asOf, when, report);
    const [{ table, rows }] = layers;
    const [told] = note.layers;
    report(0.6, `Copying ${rows.length.toLocaleString('en-GB')} features`);
    const kept = takeRows(told.shape.kind === 'none' ? withoutShapes(table) : table, rows);
    const source = await entities(orm).findOneOrFail(Source, { id: layer.sourceId });
    return {
      table: kept,
      result: cut ? { cut } : {},
      description: {
        name,
        fileName: source.fileName,
        format: source.format,
        layer: source.layer ?? null,
        encoding: source.encoding ?? null,
        remarks: [],
        invalidShapes: 0,
        notes: [
          `Taken on ${when.toISOString().slice(0, 10)} from ${source.name}: ${told.kept} of ${told.of} features. It does not follow later changes.`,
          `Kept: ${told.sentence}`,
          ...(told.filter === null ? [] : [`Filter: ${told.filter}`]),
          `Relative dates counted from ${note.asOf}.`,
          ...(told.shape.kind === 'as-is' ? [] : [`Shapes: ${shapeChoiceInWords(told.shape)}`]),
          ...told.remarks,
          ...note.areas.map(({ name: area, text }) => `Area ${area}: ${text}`),
          ...(source.hash ? [`SHA-256 of ${source.fileName}: ${source.hash}`] : []),
        ],
      },
    };
  },
};

function withoutShapes(table: FeatureTable): FeatureTable {
  const builder = new TableBuilder();
  for (let row = 0; row < table.rows; row++) builder.addFeature(null, null);
  return { ...table, geometry: builder.finish().geometry };
}
