import { idOf, identified, named, type Directory, type Group } from '@clean-sieve/core';
import type { ExtractRequest } from '../api/contract.ts';

/** What was asked for, as it is kept: about the same areas, sources and sieves whatever they are called by then. */
export function identifiedRequest(request: ExtractRequest, directory: Directory): ExtractRequest {
  const about = (area: string | number) => (typeof area === 'string' ? (idOf(directory.AREA, area) ?? area) : area);
  return changed(request, (tree) => identified(tree, directory), about);
}

/** What was asked for, to be made again. */
export function namedRequest(request: ExtractRequest, directory: Directory): ExtractRequest {
  const about = (area: string | number) => (typeof area === 'number' ? (directory.AREA.get(area) ?? area) : area);
  return changed(request, (tree) => named(tree, directory), about);
}

function changed(
  request: ExtractRequest,
  inTree: (tree: Group) => Group,
  inArea: (area: string | number) => string | number,
): ExtractRequest {
  const { layers, within } = request;
  return {
    ...request,
    layers: layers.map((layer) => ({ ...layer, tree: inTree(layer.tree) })),
    within: within && { ...within, area: inArea(within.area) },
  };
}
