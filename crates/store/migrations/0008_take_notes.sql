-- What was said of a frame of a take, and of a point of a body there.
create table take_note (
    id bigint generated always as identity primary key,
    take bigint not null references take on delete cascade,
    frame bigint not null,
    body text,
    point bigint,
    words text not null
);
create index take_note_of_take on take_note (take, frame, id);
