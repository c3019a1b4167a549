//! How a thin plate flies: what the air does to it by how it is turned to that.
//!
//! The law is that of A. Andersen, U. Pesavento, Z. J. Wang, "Unsteady aerodynamics of fluttering and tumbling plates", 2005, sec. 5 (drag,
//! circulation by translation and by rotation, added mass, a torque that resists turning), which is of plates in two dimensions, told in vectors for
//! a disc: added mass 8/3 ρ a³ and added inertia 16/45 ρ a⁵ of one (H. Lamb, "Hydrodynamics", 1932, art. 108), and half of their
//! resistance to turning, by which the regimes of discs come out. Head on it is the drag coefficient that is given. Which fall straight, flutter
//! or tumble goes by inertia: S. Field, M. Klaus, M. Moore, F. Nori, "Chaotic dynamics of falling disks", 1997.
//!
//! A seed with a wing is told by its spin alone: a rotor that the air drives toward a tip as fast as so many times the air that comes through
//! it, and that catches the more of that the faster it spins (D. Lentink, W. Dickson, J. van Leeuwen, M. Dickinson, "Leading-edge vortices elevate lift of
//! autorotating plant seeds", 2009; ratios of tip to descent by A. Azuma, K. Yasuda, "Flight performance of rotary seeds", 1989).
use crate::AIR_DENSITY;
use glam::{DQuat, DVec3};
use std::f64::consts::PI;

/// Of the sum of both: drag head on is A + B, edge on A - B.
const DRAG: [f64; 2] = [1.4 / 2.4, 1.0 / 2.4];
/// Circulation by translation and by rotation.
const GLIDE: f64 = 1.2;
const ROLL: f64 = PI;
/// How turning is resisted.
const RESIST: f64 = 0.1;
/// Parts of a sub-step at most, and how many of them as long as it takes to go its own radius, or to turn by one.
const PARTS: f64 = 16.0;
const FINE: f64 = 4.0;
/// How fast its rim goes at most, over how fast it flies.
const SPIN: f64 = 4.0;
/// How fast the tip of a winged seed goes at most, over how fast air comes through it; how much of the drag of a disc as wide it has at rest,
/// and spinning so.
const TIP: f64 = 3.2;
const BLUNT: f64 = 0.08;
const ROTOR: f64 = 0.5;
/// Its moment of inertia, over its mass times the square of its radius.
const BLADE: f64 = 0.28;
/// The torque that spins it up from rest, as a coefficient of its disc.
const TORQUE: f64 = 0.05;

/// What flies, beside its drag coefficient.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Plate {
    /// Metres, kg.
    pub radius: f64,
    pub mass: f64,
}

/// How it is turned, its own y its normal; and how fast it turns, 1/s, in the world.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Turn {
    pub is: DQuat,
    pub by: DVec3,
}

impl Plate {
    fn added(&self) -> (f64, f64) {
        let rho = f64::from(AIR_DENSITY);
        (8.0 / 3.0 * rho * self.radius.powi(3), 16.0 / 45.0 * rho * self.radius.powi(5))
    }

    /// How fast it goes after a time, and how it is turned then, by the air at it. What pulls it is in its velocity
    /// already, as if it carried no air along, m/s².
    pub fn flown(
        &self,
        drag: f64,
        [air, pull]: [DVec3; 2],
        mut v: DVec3,
        turn: &mut Turn,
        time: f64,
    ) -> DVec3 {
        let (a, m, rho) = (self.radius, self.mass, f64::from(AIR_DENSITY));
        let (more, about) = self.added();
        let area = PI * a * a;
        let (across, round) = (0.25 * m * a * a + about, 0.5 * m * a * a);
        let fast = v.distance(air) / a + turn.by.length();
        let parts = (FINE * time * fast).ceil().clamp(1.0, PARTS);
        let dt = time / parts;
        for _ in 0..parts as usize {
            let n = turn.is * DVec3::Y;
            let u = v - air;
            let size = u.length();
            let head = u.dot(n);
            let edge = u - head * n;
            let along = edge.length_squared();
            let spin = turn.by.dot(n);
            let tilts = turn.by - spin * n;
            // Drag, wholly implicit; half of that on the way is what it would have been.
            let share = DRAG[0] - DRAG[1] * (along - head * head) / (size * size).max(1e-12);
            let resist = 0.5 * rho * area * drag * share * size;
            // (u_t u_n / |u|)(u_n e - u_t n), e along the edge.
            let glide = GLIDE * rho * area * head / size.max(1e-9) * (head * edge - along * n);
            let roll = ROLL * rho * a * area * tilts.cross(u);
            let force = glide + roll - resist * u;
            // What is carried along of the air is so only across it, and turns with it.
            let turned = tilts.cross(n);
            let off = n * (force.dot(n) - more * (u.dot(turned) + pull.dot(n))) / (m + more + dt * resist);
            let on = (force - force.dot(n) * n - more * head * turned) / (m + dt * resist);
            // What the air does across its way turns that and makes it no faster, however coarsely time is cut.
            v = air + (u + dt * (off + on)).clamp_length_max(size + dt * pull.length());
            // L, so that what spins resists being tilted.
            let torque = more * head * n.cross(edge);
            let slows = 0.5 * PI * PI * rho * a.powi(5) * RESIST * (size / (2.0 * a) + turn.by.length());
            let turning = (across * tilts + dt * torque) / (1.0 + dt * slows / across)
                + round * spin * n / (1.0 + dt * slows / (across + round));
            turn.is = (DQuat::from_scaled_axis(dt * turn.by) * turn.is).normalize();
            let n = turn.is * DVec3::Y;
            let spin = turning.dot(n);
            turn.by = (turning - spin * n) / across + spin / round * n;
            turn.by = turn.by.clamp_length_max(SPIN * (size / a).max(1.0));
        }
        v
    }

    /// The same of a seed with a wing, that spins about what comes through it.
    pub fn spun(&self, air: DVec3, v: DVec3, turn: &mut Turn, time: f64) -> DVec3 {
        let (a, m, rho) = (self.radius, self.mass, f64::from(AIR_DENSITY));
        let area = PI * a * a;
        let u = v - air;
        let size = u.length();
        let axis = -u.normalize_or(DVec3::NEG_Y);
        let rate = turn.by.dot(axis).abs();
        // Toward its greatest: torque falls as the tip comes near to what drives it.
        let inertia = BLADE * m * a * a;
        let most = TIP * size / a;
        let drives = TORQUE * 0.5 * rho * area * a * size * size;
        let slope = drives / most.max(1e-9);
        let rate = (rate + time * drives / inertia) / (1.0 + time * slope / inertia);
        let share = (rate / most.max(1e-9)).min(1.0);
        let catches = BLUNT + (ROTOR - BLUNT) * share * share;
        let by = 0.5 * rho * area * catches / m * time;
        let left = 2.0 * size / (1.0 + (1.0 + 4.0 * by * size).sqrt());
        turn.by = rate * axis;
        // Its normal comes to lie along the axis as it spins up.
        let n = turn.is * DVec3::Y;
        let to = DQuat::IDENTITY
            .slerp(DQuat::from_rotation_arc(n, axis), (1.0 - (-time * rate / 6.0).exp()).clamp(0.0, 1.0));
        turn.is = (DQuat::from_scaled_axis(time * turn.by) * to * turn.is).normalize();
        v - u * (by * left / (1.0 + by * left))
    }
}

/// How fast a plate that touches something comes to lie on it, 1/s.
const LIES: f64 = 18.0;

/// Lays what touches something, the way out of that, flat on it.
pub(super) fn lie(turn: &mut Turn, out: DVec3, time: f64) {
    let n = turn.is * DVec3::Y;
    let out = if n.dot(out) < 0.0 { -out } else { out };
    let share = 1.0 - (-LIES * time).exp();
    let to = DQuat::IDENTITY.slerp(DQuat::from_rotation_arc(n, out), share);
    turn.is = (to * turn.is).normalize();
    turn.by *= 1.0 - share;
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A fall of some seconds, begun tilted: how far it turned over, how far it leant at most, how fast it came down at last, and how far aside.
    fn falls(plate: &Plate, tilt: f64, seconds: f64, dt: f64) -> (f64, f64, f64, f64) {
        let mut turn = Turn { is: DQuat::from_rotation_z(tilt), by: DVec3::ZERO };
        let (mut v, mut x) = (DVec3::ZERO, DVec3::ZERO);
        let (mut over, mut leant, mut late) = (0.0, 0.0f64, x);
        let count = (seconds / dt) as usize;
        for k in 0..count {
            v.y -= 9.81 * dt;
            v = plate.flown(1.28, [DVec3::ZERO, DVec3::new(0.0, -9.81, 0.0)], v, &mut turn, dt);
            x += dt * v;
            over += dt * turn.by.z;
            if k > count / 2 {
                leant = leant.max((turn.is * DVec3::Y).y.clamp(-1.0, 1.0).acos());
            } else {
                late = x;
            }
        }
        (over, leant, (late.y - x.y) / (seconds / 2.0), x.x.abs())
    }

    #[test]
    fn a_plate_falls_straight_flutters_or_tumbles_by_its_inertia() {
        // I* = π/64 of thickness times density over diameter times that of air (S. Field et al., 1997): some 0.04 parts those that flutter from those
        // that tumble; between lies what does now one, now the other.
        let disc = |star: f64| {
            let a: f64 = 0.03;
            let sigma = star * 64.0 / PI * 2.0 * a * f64::from(AIR_DENSITY);
            Plate { radius: a, mass: sigma * PI * a * a }
        };
        let (over, leant, _, _) = falls(&disc(0.008), 0.3, 12.0, 1.0 / 480.0);
        println!("light: turned over by {over:.2}, leant {leant:.2}");
        assert!(over.abs() < PI && leant < 1.4, "it flutters");
        let (over, _, fast, aside) = falls(&disc(0.5), 0.8, 12.0, 1.0 / 480.0);
        println!("heavy: turned over by {over:.1}, comes down at {fast:.2} m/s, {aside:.1} m aside");
        assert!(over.abs() > 8.0 * PI, "it tumbles, by {over}");
        assert!(aside > 2.0, "and goes aside, as what tumbles does");
    }

    #[test]
    fn flat_on_it_falls_as_its_drag_says_however_finely_time_is_cut() {
        // σ 0.15 kg/m², C 1.28: v(.25) 1.306 with nothing carried along of the air; at last 1.384 m/s.
        let a = 0.2;
        let plate = Plate { radius: a, mass: 0.15 * PI * a * a };
        for dt in [1.0 / 240.0, 1.0 / 960.0] {
            let (_, leant, fast, _) = falls(&plate, 0.0, 6.0, dt);
            println!("{dt:.5}: {fast:.4} m/s, leant {leant}");
            assert!(leant < 1e-6 && (fast / 1.384 - 1.0).abs() < 0.02, "{fast}");
        }
    }

    #[test]
    fn a_winged_seed_spins_up_to_a_rate_and_comes_down_slower_for_it() {
        // A maple's: 0.1 g, 3.5 cm: some 0.9 to 1.2 m/s and 80 to 130 rad/s (A. Azuma, K. Yasuda, 1989; D. Lentink et al., 2009).
        let seed = Plate { radius: 0.035, mass: 1.0e-4 };
        for dt in [1.0 / 240.0, 1.0 / 480.0] {
            let (mut v, mut turn) = (DVec3::ZERO, Turn { is: DQuat::IDENTITY, by: DVec3::ZERO });
            let mut most: f64 = 0.0;
            for _ in 0..(3.0 / dt) as usize {
                v.y -= 9.81 * dt;
                v = seed.spun(DVec3::ZERO, v, &mut turn, dt);
                most = most.max(-v.y);
            }
            println!("{:.3} m/s, {:.1} rad/s, {most:.3} m/s at most", -v.y, turn.by.length());
            assert!((0.7..1.4).contains(&-v.y) && (60.0..150.0).contains(&turn.by.length()));
            assert!(most > -1.2 * v.y, "it falls faster before it spins");
        }
    }

    #[test]
    fn none_is_thrown_out_of_the_world_by_any_wind_however_coarsely_time_is_cut() {
        for (radius, mass) in [(0.0003, 1e-9), (0.004, 1e-7), (0.01, 2e-5), (0.5, 0.02), (0.02, 1.0)] {
            for speed in [0.0, 3.0, 30.0, 200.0] {
                for dt in [1.0 / 24.0, 1.0 / 240.0] {
                    let plate = Plate { radius, mass };
                    let (mut v, mut turn) = (DVec3::new(0.0, -1.0, 0.3), Turn { is: DQuat::from_rotation_x(0.9), by: DVec3::X });
                    let mut most: f64 = 0.0;
                    for k in 0..600 {
                        let (sin, cos) = (0.37 * f64::from(k)).sin_cos();
                        v.y -= 9.81 * dt;
                        let air = speed * DVec3::new(cos, 0.2 * sin, sin);
                        v = plate.flown(1.28, [air, DVec3::new(0.0, -9.81, 0.0)], v, &mut turn, dt);
                        most = most.max(v.length());
                    }
                    // It can fall, and go with the wind.
                    assert!(most < 2.0 * speed + 260.0 && turn.is.is_finite(), "{radius} m in {speed} m/s: {most} m/s");
                }
            }
        }
    }

    #[test]
    fn a_plate_in_a_wind_goes_with_it_and_what_lies_stays_flat() {
        let plate = Plate { radius: 0.02, mass: 1e-4 };
        let (mut v, mut turn) =
            (DVec3::ZERO, Turn { is: DQuat::from_rotation_x(0.7), by: DVec3::new(3.0, 8.0, -2.0) });
        for _ in 0..2400 {
            v = plate.flown(1.28, [DVec3::new(4.0, 0.0, 0.0), DVec3::ZERO], v, &mut turn, 1.0 / 480.0);
        }
        assert!(v.distance(DVec3::new(4.0, 0.0, 0.0)) < 0.3 && turn.by.length() < 4.0, "{v} {}", turn.by);
        for _ in 0..480 {
            lie(&mut turn, DVec3::Y, 1.0 / 480.0);
        }
        assert!((turn.is * DVec3::Y).y.abs() > 0.9999 && turn.by.length() < 0.01);
    }
}
