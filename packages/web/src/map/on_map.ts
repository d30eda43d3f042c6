import { toMercator } from '@clean-sieve/core';

export type Box = [west: number, south: number, east: number, north: number];
/** A box in longitude and latitude on the plane of the map. */
export const onMap = ([west, south, east, north]: Box): Box => [...toMercator(west, south), ...toMercator(east, north)];
