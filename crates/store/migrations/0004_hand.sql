-- Projects take turns: the one that was served longest ago comes first.
alter table project add served timestamptz;

-- A small picture of it, and the revision that it shows.
alter table project add picture bytea;
alter table project add pictured bigint;
alter table project alter column picture set storage external;

-- Put first by hand.
alter table run add urgent timestamptz;
-- What is asked for: frames up to this one, of these bodies (a JSON array of keys); all where there is nothing.
alter table run add until bigint;
alter table run add bodies text not null default '[]';
