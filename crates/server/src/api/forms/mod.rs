//! Forms: written and opened by the office in `desk`, answered by anyone who has
//! the address in `door`.

mod desk;
mod door;
mod guard;

use utoipa_axum::router::OpenApiRouter;

pub use guard::Guard;

use mangle_app::App;

pub fn router() -> OpenApiRouter<App> {
    desk::router().merge(door::router())
}
