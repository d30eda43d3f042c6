import { z } from 'zod';

/** What an OGC API – Features service says (17-069r4), as far as it is read here. */

const link = z.object({ href: z.string(), rel: z.string(), type: z.string().optional(), title: z.string().optional() });
export type ServiceLink = z.infer<typeof link>;
const links = z.array(link).default([]);
const text = z.string().nullish();

const bound = z.number().nullable();
const collection = z.object({
  id: z.string().min(1),
  title: text,
  description: text,
  itemType: z.string().default('feature'),
  extent: z
    .object({
      spatial: z.object({ bbox: z.array(z.array(bound)).default([]) }).nullish(),
      temporal: z.object({ interval: z.array(z.array(z.string().nullable())).default([]) }).nullish(),
    })
    .nullish(),
  crs: z.array(z.string()).nullish(),
  storageCrs: text,
  links,
});
export type CollectionDocument = z.infer<typeof collection>;

export const landingDocument = z.object({ title: text, description: text, links: z.array(link) });
export const conformanceDocument = z.object({ conformsTo: z.array(z.string()) });
export const collectionsDocument = z.object({ collections: z.array(collection), links });
export const collectionDocument = collection;

/** A property of the JSON Schema in which a service tells its queryables (19-079r2, 6.2). */
const queryable = z.object({
  type: z.union([z.string(), z.array(z.string())]).optional(),
  format: z.string().optional(),
  $ref: z.string().optional(),
  'x-ogc-role': z.string().optional(),
});
export type Queryable = z.infer<typeof queryable>;
export const queryablesDocument = z.object({ properties: z.record(z.string(), queryable).default({}) });

/** A page of features without the features. */
export const pageDocument = z.object({
  type: z.literal('FeatureCollection'),
  numberMatched: z.number().int().nonnegative().optional(),
  numberReturned: z.number().int().nonnegative().optional(),
  links,
});
export type PageDocument = z.infer<typeof pageDocument>;

/** How services say what is wrong: as the standard's exception, or as RFC 7807 has it. */
export const problemDocument = z.object({ description: text, detail: text, title: text });
