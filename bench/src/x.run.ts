import { startCluster } from '../../tests/postgis/cluster.ts';
const cluster = await startCluster();
await cluster.sql(`create table sightings as select i as no, (random()*10)::int as severity, (array['ice','debris','whale','net'])[1+(random()*3)::int] as kind,
 date '2019-01-01' + (random()*2500)::int as seen, round((random()*40)::numeric,1) as depth,
 st_setsrid(st_makepoint(-12.6 + random()*random()*1.2, 46.2 + random()*0.7), 4326)::geometry(Point, 4326) as place from generate_series(1, 2000003) i;
 alter table sightings add primary key (no); create index on sightings using gist (place); create index on sightings (severity); comment on table sightings is 'Sightings at sea'; analyze sightings`);
console.log(cluster.address);
setInterval(() => {}, 1000);
