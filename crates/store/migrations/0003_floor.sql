-- How often a run was taken since it last got further: what ends its worker is not taken for ever.
alter table run add attempts int not null default 0;

-- A project that was removed is kept for a while, and can be brought back.
alter table project add removed timestamptz;

-- What is let go first when space is short: what was asked for longest ago.
alter table chunk add used timestamptz not null default now();
alter table checkpoint add used timestamptz not null default now();
alter table mesh add used timestamptz not null default now();
create index chunk_by_use on chunk (used);
create index checkpoint_by_use on checkpoint (used);

-- They are packed already: PostgreSQL need not try again.
alter table chunk alter column bytes set storage external;
alter table checkpoint alter column bytes set storage external;
