//! The body of a stand-in: what a person would have in their hands, for practising without a device.
//! Bridges to real devices have none, and then there is nothing to show.

use veritope_core::facts::{FactKey, FactValue};
use veritope_link::LinkError;
use veritope_wire::UnitId;
use veritope_wire::body::{BodyAct, Face};
use veritope_wire::link::Handle;

use crate::desk::record::Way;
use crate::links::Links;
use crate::links::LinksError;

impl Links {
    /// What eyes see of the unit's stand-in; nothing where it is a real device, or its bridge has none.
    ///
    /// # Errors
    /// When the unit is not known, or nobody can tell now: a bridge that is busy has not lost its body.
    pub fn face(&self, unit: UnitId) -> Result<Option<Face>, LinksError> {
        Ok(self.body_of(unit)?.map(|(_, face)| face))
    }

    /// What hands do to the unit's stand-in; gives what is seen then.
    ///
    /// # Errors
    /// When the unit is not known, is no stand-in, or has nothing like that to press.
    pub fn hands(&self, unit: UnitId, act: &BodyAct) -> Result<Option<Face>, LinksError> {
        let Some(((transport, handle), _)) = self.body_of(unit)? else {
            return Err(LinksError::NotThisWay(
                "only a stand-in has a body on this screen; a device is in your hands",
            ));
        };
        transport.hands(&handle, act)?;
        Ok(Some(masked(transport.face(&handle)?)))
    }

    /// Where the unit's body is. One that is worked on by hand practises on the stand-in that bears
    /// its name.
    fn body_of(&self, unit: UnitId) -> Result<Option<(Body, Face)>, LinksError> {
        let record = self.pen.record(unit)?;
        let places: Vec<Body> = match &record.way {
            Way::Link { bridge, handle } => vec![(self.transport(*bridge)?, handle.clone())],
            Way::Hand => {
                let handle = Handle(record.nickname.to_lowercase());
                let bridges = self.bridges().into_iter();
                bridges
                    .filter_map(|(id, ..)| self.transport(id).ok())
                    .map(|transport| (transport, handle.clone()))
                    .collect()
            }
        };
        let mut silent = None;
        for body in places {
            match body.0.face(&body.1) {
                Ok(face) => return Ok(Some((body, masked(face)))),
                Err(LinkError::Refused(_)) => {}
                Err(error) => silent = Some(error),
            }
        }
        silent.map_or(Ok(None), |error| Err(error.into()))
    }
}

type Body = (std::sync::Arc<dyn veritope_link::Transport>, Handle);

/// What identifies a unit is masked on this screen too (`K3`); the object itself shows it whole.
fn masked(mut face: Face) -> Face {
    for line in &mut face.lines {
        for name in ["Equipment ID", "Chip", "Serial"] {
            let value = line
                .strip_prefix(name)
                .and_then(|rest| rest.strip_prefix(": "))
                .filter(|value| *value != "none")
                .map(|value| FactValue::Text(value.to_owned()).shown(FactKey::ChipId));
            if let Some(value) = value {
                *line = format!("{name}: {value}");
            }
        }
    }
    face
}
