-- A scene is kept as the text of its document: the order of its parts is the artist's.
create table project (
    id bigint generated always as identity primary key,
    name text not null,
    revision bigint not null default 0,
    scene text not null,
    created timestamptz not null default now()
);

-- Each edit with the patch that takes it back. Undone edits stay until a new edit takes their place.
create table edit (
    id bigint generated always as identity primary key,
    project bigint not null references project on delete cascade,
    label text not null,
    forward text not null,
    backward text not null,
    undone boolean not null default false,
    made timestamptz not null default now()
);
create index edit_of_project on edit (project, id);

create table mesh (
    hash text primary key,
    name text not null,
    bytes bytea not null,
    created timestamptz not null default now()
);

create table chunk (
    id bigint generated always as identity primary key,
    bytes bytea not null,
    created timestamptz not null default now()
);

-- A frame is known by its fingerprint and by nothing else.
create table frame (
    key bytea primary key,
    chunk bigint not null references chunk on delete cascade,
    slot int not null
);
create index frame_of_chunk on frame (chunk);

create table checkpoint (
    key bytea primary key,
    bytes bytea not null
);

-- The queue, and afterwards the record of what each take was computed from.
create table run (
    id bigint generated always as identity primary key,
    project bigint not null references project on delete cascade,
    revision bigint not null,
    scene text not null,
    state text not null default 'queued' check (state in ('queued', 'running', 'done', 'cancelled', 'failed')),
    cancel boolean not null default false,
    done int not null default 0,
    total int not null default 0,
    computed int not null default 0,
    seconds double precision not null default 0,
    message text not null default '',
    worker text not null default '',
    heartbeat timestamptz not null default now(),
    created timestamptz not null default now()
);
create index run_of_project on run (project, id);
create index run_waiting on run (state) where state in ('queued', 'running');
