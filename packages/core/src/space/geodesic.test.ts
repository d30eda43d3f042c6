import fc from 'fast-check';
import { geodesicAzimuth, geodesicDistance, geodesicPoint, nearbyPoint } from './geodesic.ts';

/**
 * Geodesics on WGS 84 with their exact lengths, from the test set that C. F. F. Karney published with GeographicLib (GeodTest,
 * doi:10.5281/zenodo.32156, the number from memory), as far as npm geographiclib-geodesic ships it in its own tests.
 */
const GEODESICS: [lon1: number, lat1: number, azimuth: number, lon2: number, lat2: number, metres: number][] = [
  [-139.44815, 35.60777, 111.09874842956033, -69.95921, -11.17491, 8935244.56048183],
  [106.05087, 55.52454, 22.0200598809828, 197.18234, 77.03196, 4105086.171392441],
  [142.59065, -21.97856, -32.44456876433189, 98.56635, 41.84138, 8394328.894657671],
  [112.2363, -66.99028, 173.73491240878403, 285.90344, -12.70631, 11150344.231208025],
  [173.34268, -17.42761, -159.03355766119293, 5.93557, -15.84784, 16076603.163118068],
  [48.28919, 32.84994, 150.492927788122, 202.29132, -56.28556, 16727068.943816446],
  [52.74123, 6.96833, 92.58158538631771, 206.17291, -7.39675, 17102477.249695837],
  [-16.30485, -50.56724, -105.43967990759016, -94.97412, -33.56571, 6455670.511866869],
  [-8.90775, -58.93002, 140.96539790250068, 133.13503, -8.91104, 11756066.021986462],
  [-74.28391, -68.82867, 93.77434776311487, -8.36685, -50.63005, 3956936.926063544],
  [-32.0898, -10.62672, -86.42671328674776, -134.31681, 5.883, 11470869.386456301],
  [166.90563, -21.76221, 29.31942120693643, 213.97627, 48.72884, 9098627.398655491],
  [-174.47484, -19.79938, 71.16727578017154, -154.35109, -11.99349, 2319004.860116939],
  [-116.94513, -11.95887, 92.71261983045255, 7.16501, 4.57352, 13834722.580140138],
  [85.66836, -87.85331, -65.12031304024275, 16.09921, 66.48646, 17286615.314714465],
  [128.32011, 1.74708, -101.58484363117385, 11.87109, -11.16617, 12942901.124134742],
  [-144.90758, -25.72959, -153.6474686931172, -269.17879, -57.70581, 9413446.745245311],
  [122.32875, -41.22777, 14.285113402275739, 130.37946, -7.57291, 3812686.035106021],
  [138.25278, 11.01307, 79.43682622782374, 247.05981, 6.62726, 11911190.819018409],
  [95.14681, -29.47124, -163.77913044168838, -69.15955, -27.46601, 13487015.838114548],
];

test.each(GEODESICS)('from %d %d towards %d to %d %d: %d m', (lon1, lat1, azimuth, lon2, lat2, metres) => {
  expect(Math.abs(geodesicDistance(lon1, lat1, lon2, lat2) - metres)).toBeLessThan(1e-7);
  expect(Math.abs(geodesicAzimuth(lon1, lat1, lon2, lat2) - azimuth)).toBeLessThan(1e-11);
  const [lon, lat] = geodesicPoint(lon1, lat1, azimuth, metres);
  expect(Math.abs(lat - lat2)).toBeLessThan(1e-11);
  expect(Math.abs(((lon - lon2 + 540) % 360) - 180)).toBeLessThan(1e-11);
});

test('a place near by, by the short formulas, is the one by the geodesic', () => {
  fc.assert(
    fc.property(
      fc.double({ min: -180, max: 180, noNaN: true }),
      fc.double({ min: -90, max: 90, noNaN: true }),
      fc.double({ min: 0, max: 360, noNaN: true }),
      fc.double({ min: 0, max: 5000, noNaN: true }),
      (lon, lat, azimuth, metres) => {
        const [x, y] = nearbyPoint(lon, lat, azimuth, metres);
        expect(Math.abs(x)).toBeLessThanOrEqual(180);
        expect(geodesicDistance(x, y, ...geodesicPoint(lon, lat, azimuth, metres))).toBeLessThan(1e-4);
      },
    ),
    { numRuns: 2000 },
  );
});
