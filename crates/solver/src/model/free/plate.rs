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
use nematon_simd::{F8, V8};
use std::f64::consts::PI;

/// Of the sum of both: drag head on is A + B, edge on A - B.
const DRAG: [f32; 2] = [1.4 / 2.4, 1.0 / 2.4];
/// Circulation by translation and by rotation.
const GLIDE: f32 = 1.2;
const ROLL: f32 = std::f32::consts::PI;
/// How turning is resisted.
const RESIST: f32 = 0.1;
/// Parts of a sub-step at most, and how many of them as long as it takes to go its own radius, or to turn by one.
const PARTS: f32 = 8.0;
const FINE: f32 = 2.0;
/// How fast its rim goes at most, over how fast it flies.
const SPIN: f32 = 4.0;
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
    pub radius: f32,
    pub mass: f32,
}

/// How it is turned, its own y its normal: x, y, z, w; and how fast it turns, 1/s, in the world.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Turn {
    pub is: [f32; 4],
    pub by: [f32; 3],
}

impl Turn {
    pub fn of(is: [f32; 4]) -> Turn {
        let size = is.iter().map(|c| c * c).sum::<f32>().sqrt().max(1e-6);
        Turn { is: is.map(|c| c / size), by: [0.0; 3] }
    }

    fn wide(&self) -> (DQuat, DVec3) {
        (DQuat::from_array(self.is.map(f64::from)).normalize(), DVec3::from_array(self.by.map(f64::from)))
    }

    fn set(&mut self, is: DQuat, by: DVec3) {
        (self.is, self.by) = (is.to_array().map(|c| c as f32), by.to_array().map(|c| c as f32));
    }
}

/// Eight plates, and what they meet; each goes as if it were alone.
pub(super) struct Eight {
    pub radius: F8,
    pub mass: F8,
    pub drag: F8,
    pub air: V8,
    /// What pulls them is in their velocities already, as if they carried no air along, m/s².
    pub pull: V8,
}

/// How eight are turned.
pub(super) struct Turned {
    is: [F8; 4],
    by: V8,
}

impl Turned {
    #[inline(always)]
    pub fn of(all: &[Turn; 8]) -> Turned {
        let is = std::array::from_fn(|c| F8::new(&std::array::from_fn(|l| all[l].is[c])));
        let by = std::array::from_fn(|c| F8::new(&std::array::from_fn(|l| all[l].by[c])));
        Turned { is, by: V8(by) }
    }

    #[inline(always)]
    pub fn put(self, to: &mut [Turn]) {
        let (is, by) = (self.is.map(F8::array), self.by.0.map(F8::array));
        for (l, t) in to.iter_mut().enumerate() {
            *t = Turn { is: [0, 1, 2, 3].map(|c| is[c][l]), by: [0, 1, 2].map(|c| by[c][l]) };
        }
    }

    #[inline(always)]
    fn normal(&self) -> V8 {
        let [x, y, z, w] = self.is;
        let two = F8::splat(2.0);
        V8([two * (x * y - w * z), F8::splat(1.0) - two * (x * x + z * z), two * (y * z + w * x)])
    }

    /// Turned on through a time.
    #[inline(always)]
    fn on(&self, by: V8, dt: F8) -> [F8; 4] {
        // tan of half of it, to the third order.
        let turn = by.scale(dt);
        let half = turn.scale(F8::splat(0.5) * F8::splat(1.0 / 12.0).fma(turn.dot(turn), F8::splat(1.0)));
        let [a, b, c] = half.0;
        let [x, y, z, w] = self.is;
        let all = [
            x + a * w + b * z - c * y,
            y + b * w + c * x - a * z,
            z + c * w + a * y - b * x,
            w - a * x - b * y - c * z,
        ];
        let size = all[0].fma(all[0], all[1].fma(all[1], all[2].fma(all[2], all[3] * all[3]))).sqrt();
        all.map(|c| c / size)
    }
}

impl Eight {
    /// How fast they go after a time, and how they are turned then.
    pub fn flown(&self, mut v: V8, turn: &mut Turned, time: f32) -> V8 {
        let one = F8::splat(1.0);
        let (a, m, rho) = (self.radius, self.mass, F8::splat(AIR_DENSITY));
        let a2 = a * a;
        let (a3, a5) = (a2 * a, a2 * a2 * a);
        let more = F8::splat(8.0 / 3.0) * rho * a3;
        let area = F8::splat(std::f32::consts::PI) * a2;
        let across = (F8::splat(0.25) * m).fma(a2, F8::splat(16.0 / 45.0) * rho * a5);
        let round = F8::splat(0.5) * m * a2;
        let slow = F8::splat(0.5 * std::f32::consts::PI * std::f32::consts::PI * RESIST) * rho * a5;
        let pull = self.pull.and_length().1;
        let fast = (v - self.air).and_length().1 / a + turn.by.and_length().1;
        let parts = (F8::splat(FINE * time) * fast + F8::splat(0.5)).round().max(one).min(F8::splat(PARTS));
        let dt = F8::splat(time) / parts;
        let all = parts.array().into_iter().fold(0.0, f32::max) as usize;
        for k in 0..all {
            // Those that are there already stay as they are, whoever flies beside them.
            let goes = F8::splat(k as f32 + 0.5).below(parts);
            let n = turn.normal();
            let u = v - self.air;
            let size = u.and_length().1;
            let head = u.dot(n);
            let edge = u - n.scale(head);
            let along = edge.dot(edge);
            let spin = turn.by.dot(n);
            let tilts = turn.by - n.scale(spin);
            // Drag, wholly implicit; half of that on the way is what it would have been.
            let share = F8::splat(DRAG[0])
                - F8::splat(DRAG[1]) * (along - head * head) / (size * size).max(F8::splat(1e-12));
            let resist = F8::splat(0.5) * rho * area * self.drag * share * size;
            // (u_t u_n / |u|)(u_n e - u_t n), e along the edge.
            let glides = F8::splat(GLIDE) * rho * area * head / size.max(F8::splat(1e-9));
            let glide = (edge.scale(head) - n.scale(along)).scale(glides);
            let roll = tilts.cross(u).scale(F8::splat(ROLL) * rho * a * area);
            let force = glide + roll - u.scale(resist);
            // What is carried along of the air is so only across it, and turns with it.
            let turned = tilts.cross(n);
            let on_n = force.dot(n);
            let off = (on_n - more * (u.dot(turned) + self.pull.dot(n))) / (m + more + dt * resist);
            let on = (force - n.scale(on_n) - turned.scale(more * head)).scale(one / (m + dt * resist));
            // What the air does across its way turns that and makes it no faster, however coarsely time is cut.
            let to = u + (n.scale(off) + on).scale(dt);
            let limit = size + dt * pull;
            let to = to.scale((limit / to.and_length().1.max(F8::splat(1e-12))).min(one));
            v = V8::pick(goes, self.air + to, v);
            // L, so that what spins resists being tilted.
            let torque = n.cross(edge).scale(more * head);
            let slows = slow * (size / (a + a) + turn.by.and_length().1);
            let turning = (tilts.scale(across) + torque.scale(dt)).scale(one / (one + dt * slows / across))
                + n.scale(round * spin / (one + dt * slows / (across + round)));
            let is = turn.on(turn.by, dt);
            turn.is = std::array::from_fn(|c| goes.pick(is[c], turn.is[c]));
            let n = turn.normal();
            let spin = turning.dot(n);
            let by = (turning - n.scale(spin)).scale(one / across) + n.scale(spin / round);
            let most = F8::splat(SPIN) * (size / a).max(one);
            let by = by.scale((most / by.and_length().1.max(F8::splat(1e-12))).min(one));
            turn.by = V8::pick(goes, by, turn.by);
        }
        v
    }
}

impl Plate {
    /// How fast a seed with a wing goes after a time, that spins about what comes through it.
    pub fn spun(&self, air: DVec3, v: DVec3, own: &mut Turn, time: f64) -> DVec3 {
        let (a, m, rho) = (f64::from(self.radius), f64::from(self.mass), f64::from(AIR_DENSITY));
        let (is, turns) = own.wide();
        let area = PI * a * a;
        let u = v - air;
        let size = u.length();
        let axis = -u.normalize_or(DVec3::NEG_Y);
        let rate = turns.dot(axis).abs();
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
        // Its normal comes to lie along the axis as it spins up.
        let n = is * DVec3::Y;
        let to = DQuat::IDENTITY
            .slerp(DQuat::from_rotation_arc(n, axis), (1.0 - (-time * rate / 6.0).exp()).clamp(0.0, 1.0));
        own.set((DQuat::from_scaled_axis(time * rate * axis) * to * is).normalize(), rate * axis);
        v - u * (by * left / (1.0 + by * left))
    }
}

/// How fast a plate that touches something comes to lie on it, 1/s.
const LIES: f64 = 18.0;

/// Lays what touches something, the way out of that, flat on it.
pub(super) fn lie(turn: &mut Turn, out: DVec3, time: f64) {
    let (is, by) = turn.wide();
    let n = is * DVec3::Y;
    let out = if n.dot(out) < 0.0 { -out } else { out };
    let share = 1.0 - (-LIES * time).exp();
    let to = DQuat::IDENTITY.slerp(DQuat::from_rotation_arc(n, out), share);
    turn.set((to * is).normalize(), (1.0 - share) * by);
}

#[cfg(test)]
mod tests {
    use super::*;

    const PULL: DVec3 = DVec3::new(0.0, -9.81, 0.0);

    /// One alone, in the third lane.
    fn flown(p: &Plate, [air, pull]: [DVec3; 2], v: DVec3, turn: &mut Turn, time: f64) -> DVec3 {
        let three = |v: DVec3| V8(v.to_array().map(|c| F8::splat(c as f32)));
        // Beside others that are as large as a table, and stand still in another air.
        let lane = |own: f32, other: f32| F8::new(&std::array::from_fn(|l| if l == 2 { own } else { other }));
        let eight = Eight {
            radius: lane(p.radius, 0.5),
            mass: lane(p.mass, 3.0),
            drag: F8::splat(1.28),
            air: three(air),
            pull: three(pull),
        };
        let mut all = [Turn::of([0.0, 0.1, 0.0, 1.0]); 8];
        all[2] = *turn;
        let mut turned = Turned::of(&all);
        let v = eight.flown(three(v), &mut turned, time as f32);
        turned.put(&mut all);
        *turn = all[2];
        DVec3::from_array(v.0.map(|c| f64::from(c.array()[2])))
    }

    fn turned(is: DQuat, by: DVec3) -> Turn {
        let mut out = Turn::of([0.0, 0.0, 0.0, 1.0]);
        out.set(is, by);
        out
    }

    fn normal(turn: &Turn) -> DVec3 {
        turn.wide().0 * DVec3::Y
    }

    /// A fall of some seconds, begun tilted: how far it turned over, how far it leant at most, how fast it came down at last, and how far aside.
    fn falls(plate: &Plate, tilt: f64, seconds: f64, dt: f64) -> (f64, f64, f64, f64) {
        let mut turn = turned(DQuat::from_rotation_z(tilt), DVec3::ZERO);
        let (mut v, mut x) = (DVec3::ZERO, DVec3::ZERO);
        let (mut over, mut leant, mut late) = (0.0, 0.0f64, x);
        let count = (seconds / dt) as usize;
        for k in 0..count {
            v.y -= 9.81 * dt;
            v = flown(plate, [DVec3::ZERO, PULL], v, &mut turn, dt);
            x += dt * v;
            over += dt * f64::from(turn.by[2]);
            if k > count / 2 {
                leant = leant.max(normal(&turn).y.clamp(-1.0, 1.0).acos());
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
            Plate { radius: a as f32, mass: (sigma * PI * a * a) as f32 }
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
        let a: f64 = 0.2;
        let plate = Plate { radius: a as f32, mass: (0.15 * PI * a * a) as f32 };
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
            let (mut v, mut turn) = (DVec3::ZERO, turned(DQuat::IDENTITY, DVec3::ZERO));
            let mut most: f64 = 0.0;
            for _ in 0..(3.0 / dt) as usize {
                v.y -= 9.81 * dt;
                v = seed.spun(DVec3::ZERO, v, &mut turn, dt);
                most = most.max(-v.y);
            }
            println!("{:.3} m/s, {:.1} rad/s, {most:.3} m/s at most", -v.y, turn.wide().1.length());
            assert!((0.7..1.4).contains(&-v.y) && (60.0..150.0).contains(&turn.wide().1.length()));
            assert!(most > -1.2 * v.y, "it falls faster before it spins");
        }
    }

    #[test]
    fn none_is_thrown_out_of_the_world_by_any_wind_however_coarsely_time_is_cut() {
        for (radius, mass) in [(0.0003, 1e-9), (0.004, 1e-7), (0.01, 2e-5), (0.5, 0.02), (0.02, 1.0)] {
            for speed in [0.0, 3.0, 30.0, 200.0] {
                for dt in [1.0 / 24.0, 1.0 / 240.0] {
                    let plate = Plate { radius, mass };
                    let (mut v, mut turn) =
                        (DVec3::new(0.0, -1.0, 0.3), turned(DQuat::from_rotation_x(0.9), DVec3::X));
                    let mut most: f64 = 0.0;
                    for k in 0..600 {
                        let (sin, cos) = (0.37 * f64::from(k)).sin_cos();
                        v.y -= 9.81 * dt;
                        let air = speed * DVec3::new(cos, 0.2 * sin, sin);
                        v = flown(&plate, [air, PULL], v, &mut turn, dt);
                        most = most.max(v.length());
                    }
                    // It can fall, and go with the wind.
                    assert!(
                        most < 2.0 * speed + 260.0 && turn.wide().0.is_finite(),
                        "{radius} m in {speed} m/s: {most} m/s"
                    );
                }
            }
        }
    }

    #[test]
    fn a_plate_in_a_wind_goes_with_it_and_what_lies_stays_flat() {
        let plate = Plate { radius: 0.02, mass: 1e-4 };
        let (mut v, mut turn) =
            (DVec3::ZERO, turned(DQuat::from_rotation_x(0.7), DVec3::new(3.0, 8.0, -2.0)));
        for _ in 0..2400 {
            v = flown(&plate, [DVec3::new(4.0, 0.0, 0.0), DVec3::ZERO], v, &mut turn, 1.0 / 480.0);
        }
        assert!(
            v.distance(DVec3::new(4.0, 0.0, 0.0)) < 0.3 && turn.wide().1.length() < 4.0,
            "{v} {:?}",
            turn.by
        );
        for _ in 0..480 {
            lie(&mut turn, DVec3::Y, 1.0 / 480.0);
        }
        assert!(normal(&turn).y.abs() > 0.9999 && turn.wide().1.length() < 0.01);
    }
}
