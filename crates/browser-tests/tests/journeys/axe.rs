//! Checked by axe: names, roles, contrast, and what the keyboard reaches.
use nematon_browser_tests::begin;
use thirtyfour::prelude::*;

#[tokio::test]
async fn axe_finds_nothing_on_any_step_page_menu_or_dialog_by_day_and_dusk() -> WebDriverResult<()> {
    let (_turn, site, w) = begin().await;
    w.run().await?;
    w.lanes_say("Landing canopy up to date").await?;
    for light in ["day", "dusk"] {
        if light == "dusk" {
            w.command("Daylight or dusk").await?;
        }
        for (step, row) in [
            ("Shape", None),
            ("Hold", Some("Post corner")),
            ("Air", Some("Squall")),
            ("Contact", Some("Floor")),
            ("Run", None),
            ("Hand over", None),
        ] {
            w.step(step).await?;
            if let Some(row) = row
                && !w.script(&format!("return [...document.querySelectorAll('aside button[aria-expanded=true]')].some(b => b.innerText.startsWith({row:?}))")).await?.as_bool().unwrap()
            {
                w.open_row(row).await?;
            }
            w.rest().await?;
            assert_eq!(w.axe("document").await?, "", "{step}, {light}");
        }
        w.step("Shape").await?;
        w.press("Preset").await?;
        w.rest().await?;
        assert_eq!(w.axe("[role=listbox]").await?, "", "a list, {light}");
        w.keys(Key::Escape + "").await?;
        w.press("More for Landing canopy").await?;
        w.rest().await?;
        assert_eq!(w.axe("[role=menu]").await?, "", "a menu, {light}");
        w.keys(Key::Escape + "").await?;
        w.ctrl('k').await?;
        w.rest().await?;
        assert_eq!(w.axe("[role=dialog]").await?, "", "the list of commands, {light}");
        w.keys(Key::Escape + "").await?;
        w.rest().await?;
        w.command("All keys").await?;
        w.rest().await?;
        assert_eq!(w.axe("[role=dialog]").await?, "", "the keys, {light}");
        w.keys(Key::Escape + "").await?;
        w.rest().await?;
    }
    // What has keys, a figure, seams and loose pieces.
    for (name, body, steps) in [
        ("The Courier lands", "Cape", &["Shape", "Hold", "Air", "Contact", "Run", "Hand over"][..]),
        ("The signal bladder", "Signal bladder", &["Shape", "Hold"]),
        ("Washing loft", "Blanket", &["Shape", "Contact"]),
    ] {
        w.project(&site, name, body).await?;
        for step in steps {
            w.step(step).await?;
            w.rest().await?;
            assert_eq!(w.axe("document").await?, "", "{step} of {name}");
        }
    }
    for page in ["/projects", "/projects/99", "/attic"] {
        w.go(page).await?;
        w.rest().await?;
        assert_eq!(w.axe("document").await?, "", "{page}");
    }
    w.close().await
}
