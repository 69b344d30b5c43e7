//! 999 implementation acknowledgements, 005010X231A1.

use super::envelope::Set;
use super::writer::{Stamp, Writer};
use crate::Located;

pub const VERSION: &str = "005010X231A1";

/// What the receiver says of one group that was sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileAck {
    /// GS01 and GS06 of the group it is about.
    pub group_kind: String,
    pub group_control: String,
    /// GS08 of that group.
    pub group_version: String,
    /// AK901: A accepted, E accepted with errors, P partly, R rejected.
    pub outcome: String,
    pub sets: Vec<SetAck>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetAck {
    pub kind: String,
    pub control: String,
    /// IK501: A accepted, E accepted with errors, R rejected, …
    pub outcome: String,
    pub errors: Vec<SetError>,
}

/// An error at a segment (IK3) or at one of its elements (IK4).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetError {
    pub segment: String,
    /// Position of the segment in the set, ST being 1.
    pub position: usize,
    pub segment_code: String,
    /// Element position and error code.
    pub element: Option<(usize, String)>,
}

impl FileAck {
    pub fn is_accepted(&self) -> bool {
        matches!(self.outcome.as_str(), "A" | "E")
    }

    /// The errors in words.
    pub fn reasons(&self) -> Vec<String> {
        self.sets
            .iter()
            .flat_map(|s| &s.errors)
            .map(|e| match &e.element {
                Some((n, code)) => format!("segment {} ({}), element {n}: error {code}", e.position, e.segment),
                None => format!("segment {} ({}): error {}", e.position, e.segment, e.segment_code),
            })
            .collect()
    }
}

pub fn write(stamp: &Stamp, ack: &FileAck) -> String {
    let mut w = Writer::new(stamp, "FA", VERSION);
    w.begin_set("999");
    w.put("AK1", &[&ack.group_kind, &ack.group_control, &ack.group_version]);
    for set in &ack.sets {
        w.put("AK2", &[&set.kind, &set.control]);
        for e in &set.errors {
            w.put("IK3", &[&e.segment, &e.position.to_string(), "", &e.segment_code]);
            if let Some((n, code)) = &e.element {
                w.put("IK4", &[&n.to_string(), "", code]);
            }
        }
        w.put("IK5", &[&set.outcome]);
    }
    let accepted = ack.sets.iter().filter(|s| matches!(s.outcome.as_str(), "A" | "E")).count();
    let count = ack.sets.len().to_string();
    w.put("AK9", &[&ack.outcome, &count, &count, &accepted.to_string()]);
    w.end_set();
    w.finish()
}

pub fn read(set: &Set) -> Result<FileAck, Located> {
    let mut ack = FileAck {
        group_kind: String::new(),
        group_control: String::new(),
        group_version: String::new(),
        outcome: String::new(),
        sets: vec![],
    };
    for s in &set.segments {
        match s.id {
            "AK1" => {
                (ack.group_kind, ack.group_control) = (s.get(1).into(), s.get(2).into());
                ack.group_version = s.get(3).into();
            }
            "AK2" => {
                ack.sets.push(SetAck {
                    kind: s.get(1).into(),
                    control: s.get(2).into(),
                    outcome: String::new(),
                    errors: vec![],
                });
            }
            "AK9" => ack.outcome = s.get(1).into(),
            "IK3" | "IK4" | "IK5" => {
                let last = ack.sets.last_mut().ok_or_else(|| s.wrong(None, "AK2 before this segment"))?;
                match s.id {
                    "IK3" => last.errors.push(SetError {
                        segment: s.get(1).into(),
                        position: s.get(2).parse().map_err(|_| s.wrong(Some(2), "the position of the segment"))?,
                        segment_code: s.get(4).into(),
                        element: None,
                    }),
                    "IK4" => {
                        let n = s.get(1).split(set.component).next().unwrap_or("").parse();
                        let n = n.map_err(|_| s.wrong(Some(1), "the position of the element"))?;
                        let error = last.errors.last_mut().ok_or_else(|| s.wrong(None, "IK3 before this segment"))?;
                        error.element = Some((n, s.get(3).into()));
                    }
                    _ => last.outcome = s.get(1).into(),
                }
            }
            _ => {}
        }
    }
    if ack.outcome.is_empty() {
        return Err(Located {
            segment: 0,
            byte: 0,
            id: "AK9".into(),
            element: Some(1),
            expected: "the outcome of the group".into(),
        });
    }
    Ok(ack)
}
