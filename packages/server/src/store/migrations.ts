import { Migration } from '@mikro-orm/migrations';
import { directoryOf, identified, type Group } from '@clean-sieve/core';
import type { ExtractRequest } from '../api/contract.ts';
import { identifiedRequest } from '../export/request_by_identity.ts';
import { slugOf } from '../feeds/slug.ts';

class FirstTables extends Migration {
  override up(): void {
    this.addSql('create table `workspace` (`id` integer not null primary key autoincrement, `name` text not null, `as_of` text null)');
    this.addSql(
      'create table `source` (`id` integer not null primary key autoincrement, `workspace_id` integer not null, `name` text not null, `file_name` text not null, `format` text not null, `crs` text not null, `row_count` integer not null, `role` text not null, `extent` json null, `geometry_types` json not null, `notes` json not null, constraint `source_workspace_id_foreign` foreign key(`workspace_id`) references `workspace`(`id`) on update cascade)',
    );
    this.addSql('create index `source_workspace_id_index` on `source` (`workspace_id`)');
    this.addSql(
      'create table `source_column` (`id` integer not null primary key autoincrement, `source_id` integer not null, `ordinal` integer not null, `name` text not null, `type` text not null, `role` text null, `summary` json not null, `dictionary` blob null, constraint `source_column_source_id_foreign` foreign key(`source_id`) references `source`(`id`) on delete cascade on update cascade)',
    );
    this.addSql('create index `source_column_source_id_index` on `source_column` (`source_id`)');
    this.addSql(
      'create table `row_group` (`id` integer not null primary key autoincrement, `column_id` integer not null, `ordinal` integer not null, `row_count` integer not null, `nulls` integer not null, `min` double null, `max` double null, `values` blob not null, constraint `row_group_column_id_foreign` foreign key(`column_id`) references `source_column`(`id`) on delete cascade on update cascade)',
    );
    this.addSql('create index `row_group_column_id_index` on `row_group` (`column_id`)');
    this.addSql(
      'create table `geometry` (`id` integer not null primary key autoincrement, `source_id` integer not null, `ordinal` integer not null, `row_count` integer not null, `shapes` blob not null, constraint `geometry_source_id_foreign` foreign key(`source_id`) references `source`(`id`) on delete cascade on update cascade)',
    );
    this.addSql('create index `geometry_source_id_index` on `geometry` (`source_id`)');
    this.addSql(
      'create table `sieve` (`id` integer not null primary key autoincrement, `source_id` integer not null, `name` text null, `tree` json not null, `colour` integer not null, `visible` integer not null, constraint `sieve_source_id_foreign` foreign key(`source_id`) references `source`(`id`) on delete cascade on update cascade)',
    );
    this.addSql('create index `sieve_source_id_index` on `sieve` (`source_id`)');
  }
}

class ColumnsAndSystems extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `layer` text null');
    this.addSql('alter table `source` add column `encoding` text null');
    this.addSql("alter table `source` add column `remarks` json not null default '[]'");
    // Until now every source was in longitude and latitude.
    this.addSql(`update source set crs = '{"name":"OGC:CRS84","label":"longitude, latitude (WGS 84)","definition":null,"accuracy":null}'`);
    this.addSql(
      'create table `code_list` (`id` integer not null primary key autoincrement, `workspace_id` integer not null, `name` text not null, `entries` json not null, constraint `code_list_workspace_id_foreign` foreign key(`workspace_id`) references `workspace`(`id`) on update cascade)',
    );
    this.addSql('alter table `source_column` add column `title` text null');
    this.addSql('alter table `source_column` add column `description` text null');
    this.addSql('alter table `source_column` add column `hidden` integer not null default 0');
    this.addSql('alter table `source_column` add column `derivation` json null');
    this.addSql(
      'alter table `source_column` add column `code_list_id` integer null constraint `source_column_code_list_id_foreign` references `code_list`(`id`) on delete set null on update cascade',
    );
  }
}

class RepairedShapes extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `invalid_shapes` integer not null default 0');
    this.addSql("alter table `source` add column `shapes` text not null default 'original'");
    this.addSql("alter table `geometry` add column `variant` text not null default 'original'");
  }
}

class Versions extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `version_of` integer null');
    this.addSql("alter table `source` add column `taken_at` text not null default ''");
    this.addSql("update `source` set taken_at = strftime('%Y-%m-%dT%H:%M:%SZ', 'now')");
  }
}

class NameMentions extends Migration {
  override up(): void {
    this.addSql("alter table `sieve` add column `mentions` json not null default '[]'");
  }
}

class Areas extends Migration {
  override up(): void {
    this.addSql(
      'create table `area` (`id` integer not null primary key autoincrement, `workspace_id` integer not null, `name` text not null, `shape` json not null, constraint `area_workspace_id_foreign` foreign key(`workspace_id`) references `workspace`(`id`) on update cascade)',
    );
    this.addSql('create unique index `area_name_unique` on `area` (`workspace_id`, `name`)');
  }
}

class Extracts extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `hash` text null');
    this.addSql('alter table `source` add column `reading` json null');
    this.addSql(
      'create table `extract` (`id` text not null primary key, `workspace_id` integer not null, `title` text not null, `made_at` text not null, `format` text not null, `features` integer not null, `of` integer not null, `files` json not null, `again` json null, `request` json not null, `note` json not null, constraint `extract_workspace_id_foreign` foreign key(`workspace_id`) references `workspace`(`id`) on update cascade)',
    );
  }
}

class Feeds extends Migration {
  override up(): void {
    this.addSql(
      'create table `feed` (`id` text not null primary key, `sieve_id` integer not null, `made_at` text not null, `frozen` json null, constraint `feed_sieve_id_foreign` foreign key(`sieve_id`) references `sieve`(`id`) on delete cascade on update cascade)',
    );
  }
}

/** Feeds that are there keep the addresses that they had: those of their names. */
class FeedCollections extends Migration {
  override async up(): Promise<void> {
    await this.execute("alter table `feed` add column `collection` text not null default 'features'");
    const feeds = await this.execute('select `feed`.`id`, `frozen`, `name` from `feed` join `sieve` on `sieve`.`id` = `sieve_id`');
    for (const { id, frozen, name } of feeds as { id: string; frozen: string | null; name: string | null }[]) {
      const title = frozen === null ? name : (JSON.parse(frozen) as { name: string }).name;
      if (title !== null) this.addSql(`update \`feed\` set \`collection\` = '${slugOf(title)}' where \`id\` = '${id}'`);
    }
  }
}

class SieveVersions extends Migration {
  override up(): void {
    this.addSql('alter table `sieve` add column `version` integer not null default 1');
  }
}

/** Conditions were about areas, sources and sieves by their names. */
class References extends Migration {
  override async up(): Promise<void> {
    const rowsOf = async <T>(query: string) => (await this.execute(query)) as T[];
    interface Named {
      id: number;
      name: string | null;
    }
    const directory = directoryOf({
      AREA: await rowsOf<Named>('select `id`, `name` from `area`'),
      SOURCE: await rowsOf<Named>("select `id`, `name` from `source` where `role` = 'layer'"),
      SIEVE: await rowsOf<Named>('select `id`, `name` from `sieve`'),
    });
    for (const { id, tree } of await rowsOf<{ id: number; tree: string }>('select `id`, `tree` from `sieve`')) {
      const [before, after] = [JSON.parse(tree) as Group, identified(JSON.parse(tree) as Group, directory)];
      if (JSON.stringify(after) !== JSON.stringify(before))
        await this.execute('update `sieve` set `tree` = ? where `id` = ?', [JSON.stringify(after), id]);
    }
    for (const { id, request } of await rowsOf<{ id: string; request: string }>('select `id`, `request` from `extract`')) {
      const after = identifiedRequest(JSON.parse(request) as ExtractRequest, directory);
      await this.execute('update `extract` set `request` = ? where `id` = ?', [JSON.stringify(after), id]);
    }
  }
}

class Styles extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `style` json null');
    this.addSql('alter table `sieve` add column `style` json null');
  }
}

class Views extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `view` json null');
    this.addSql('alter table `sieve` add column `view` json null');
  }
}

class Below extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `below` integer not null default 0');
  }
}

class Stamps extends Migration {
  override up(): void {
    this.addSql("alter table `source_column` add column `stamp` text not null default ''");
  }
}

class Services extends Migration {
  override up(): void {
    this.addSql('alter table `source` add column `fetched_from` json null');
    this.addSql('create table `service_key` (`address` text not null primary key, `header` text not null, `value` text not null)');
  }
}

export const MIGRATIONS = [
  { name: '001_first_tables', class: FirstTables },
  { name: '002_columns_and_systems', class: ColumnsAndSystems },
  { name: '003_repaired_shapes', class: RepairedShapes },
  { name: '004_versions', class: Versions },
  { name: '005_name_mentions', class: NameMentions },
  { name: '006_areas', class: Areas },
  { name: '007_extracts', class: Extracts },
  { name: '008_feeds', class: Feeds },
  { name: '009_feed_collections', class: FeedCollections },
  { name: '010_sieve_versions', class: SieveVersions },
  { name: '011_references', class: References },
  { name: '012_styles', class: Styles },
  { name: '013_views', class: Views },
  { name: '014_below', class: Below },
  { name: '015_stamps', class: Stamps },
  { name: '016_services', class: Services },
];
