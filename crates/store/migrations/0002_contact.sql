-- Faults found in a frame, where there are any: a JSON array.
create table snag (
    key bytea primary key,
    told text not null
);

-- What contact cost a run, pair by pair: a JSON array.
alter table run add costs text not null default '[]';
