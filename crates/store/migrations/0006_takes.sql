-- What was said to be kept: a scene, whose frames stay for as long as it does, with what was said of it.
create table take (
    id bigint generated always as identity primary key,
    project bigint not null references project on delete cascade,
    name text not null,
    starred boolean not null default false,
    note text not null default '',
    scene text not null,
    made timestamptz not null default now()
);
create index take_of_project on take (project, id);
