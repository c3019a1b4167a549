//! What a person does, from start to end, in the real pages. One program: its journeys share a site, each with a
//! project of its own.
#![allow(clippy::unwrap_used)]
mod air;
mod axe;
mod coming;
mod deliver;
mod first;
mod hand;
mod maps;
mod mend;
mod motion;
mod plants;
mod rehearse;
mod sewn;
mod strands;
mod takes;
