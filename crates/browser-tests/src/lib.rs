//! The real interface, driven in headless Chromium: what the journeys, the pictures of the docs and the
//! browser's benchmark share. One page object a view.
pub mod page;
pub mod site;

pub use page::Window;
pub use site::Site;
