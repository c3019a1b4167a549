//! The steps that bring the tables of a database to this version.
use sqlx::SqlSafeStr;
use sqlx::migrate::{Migration, MigrationType, Migrator};

/// The steps, in order. A database knows those it has taken by their text: none that was ever released may change.
const STEPS: &[(&str, &str)] = &[
    ("start", include_str!("../migrations/0001_start.sql")),
    ("contact", include_str!("../migrations/0002_contact.sql")),
    ("floor", include_str!("../migrations/0003_floor.sql")),
    ("hand", include_str!("../migrations/0004_hand.sql")),
    ("changed", include_str!("../migrations/0005_changed.sql")),
    ("takes", include_str!("../migrations/0006_takes.sql")),
    ("take runs", include_str!("../migrations/0007_take_runs.sql")),
    ("take notes", include_str!("../migrations/0008_take_notes.sql")),
];

/// All of them, as the database takes them.
pub(crate) fn steps() -> Migrator {
    let one = |(version, (name, sql)): (i64, (&'static str, &'static str))| {
        Migration::new(version, name.into(), MigrationType::Simple, sql.into_sql_str(), false)
    };
    Migrator::with_migrations((1..).zip(STEPS.iter().copied()).map(one).collect())
}
