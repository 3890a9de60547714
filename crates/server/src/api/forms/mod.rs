//! Forms: written and opened by the office in `desk`, answered by anyone who has
//! the address in `door`.

mod desk;
mod door;

use utoipa_axum::router::OpenApiRouter;

pub use door::router as public;

use mangle_app::App;

pub fn router() -> OpenApiRouter<App> {
    desk::router()
}
