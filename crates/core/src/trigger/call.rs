//! Starts a run when another program asks for it.

use serde::{Deserialize, Serialize};

use super::{Covers, Settings, World};
use crate::diagnostic::Diagnostic;

/// The settings of the trigger of API calls.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CallTrigger {
    /// Whether a record is sent again that was sent before.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub again: bool,
}

impl Settings for CallTrigger {
    fn problems(&self, _world: &World) -> Vec<Diagnostic> {
        Vec::new()
    }

    fn words(&self) -> String {
        "on an API call".into()
    }

    fn covers(&self) -> Covers {
        if self.again { Covers::Named } else { Covers::Once }
    }
}
