//! The words that parts of a fingerprint begin with, of all crates: each says what follows. One table, so that none is another's: a
//! frame must never be known by what another was made from.
//!
//! Two pairs are alike that once were given twice. They follow what tells them apart, and stay, so that frames that are kept are
//! still known.

macro_rules! words {
    ($($name:ident = $number:literal, $what:literal;)*) => {
        $(#[doc = $what] pub const $name: u32 = $number;)*

        /// All of them, by their names.
        pub const ALL: &[(&str, u32)] = &[$((stringify!($name), $number),)*];
    };
}

words! {
    WIND = 1, "Of a wind.";
    FLOOR = 3, "Of the floor.";
    GRIP = 4, "Of a grip that moves.";
    RESTS = 5, "Of a rest shape that changes.";
    MATTER = 6, "Of a matter that changes.";
    FRICTION = 7, "Of a collider's friction that changes.";
    GRIP_ON_SPOTS = 8, "Of a grip held to a surface.";
    HOLD = 9, "Of how much a grip holds.";
    FOLLOW = 10, "Of how a body follows.";
    PULL_BY_MAP = 11, "Of how firmly at each point.";
    STAND = 11, "Of where a field stands.";
    ZONE = 12, "Of a zone of a field.";
    ONLY = 13, "Of on whom a field acts.";
    STILLS = 14, "Of air that no field moves any more.";
    PROFILE = 16, "Of the profile of a zone's edge: this and one for each that is not the first.";
    TURBULENCE = 21, "Of turbulence.";
    BY_PUSH = 22, "Of a field that pushes.";
    JOINS = 23, "Of how a zone joins those before it.";
    GUSTS = 24, "Of gusts of a width, and bursts.";
    PULL = 25, "Of a pull.";
    COLUMN = 26, "Of a column.";
    STREAM = 27, "Of a stream.";
    SHELTER = 28, "Of shelter.";
    GRAVITY = 30, "Of a gravity.";
    WEATHER = 31, "Of what gravity and still air do to a body.";
    TIMES = 32, "Of a share of a field.";
    VORTEX = 33, "Of a vortex.";
    BY_FORCE = 33, "Of a field that acts by force.";
    CURVED = 34, "Of a column that is bent.";
    WELDS = 35, "Of points that are welded.";
    SEAM = 36, "Of a seam.";
    CHAMBER = 37, "Of a chamber.";
    SEAM_NOW = 38, "Of a seam through a frame.";
    FILL_NOW = 39, "Of a fill through a frame.";
    LEAKS_ABOVE = 46, "Of a leak of what is above the air outside.";
    TIE = 47, "Of a body that hangs on another.";
    COMINGS = 48, "Of points that come and go.";
    CLUMPS = 49, "Of strands that are tied in clumps.";
    ROOTED = 50, "Of how much of strands stands in what they grow from.";
    BRANCHES = 51, "Of strands that branch, and what their points carry.";
    STANDS = 52, "Of the gravity under which strands stand as they start.";
    FLIES = 53, "Of pieces that are not simply balls to the air.";
    SHED = 54, "Of pieces that plants let go.";
    SHED_NOW = 55, "Of the rules by which they do, in a frame.";
    LETS_GO = 56, "Of plants that let some of theirs go.";
    SKIN_BY_TREE = 57, "Of a skin, its spots found by a tree; 29 was one found by cells.";
    RELAXED = 59, "Of what bends in one with all that pulls, and never presses; 58 was one that gave up nine tenths along its threads.";
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Given twice before there was a table.
    const ALIKE: [[&str; 2]; 2] = [["PULL_BY_MAP", "STAND"], ["VORTEX", "BY_FORCE"]];

    #[test]
    fn no_word_is_another_s() {
        for (k, (a, n)) in ALL.iter().enumerate() {
            for (b, m) in &ALL[..k] {
                assert!(n != m || ALIKE.contains(&[*b, *a]), "{a} and {b} are both {n}");
            }
            // Those after the first profile are its own.
            assert!(*a == "PROFILE" || !(PROFILE..TURBULENCE).contains(n), "{a} is a profile's");
        }
    }
}
