//! Batches of claims to the clearing house; its acknowledgements and the payers' remittances.

use super::{exchange_folder, hand_over};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::claims::answers::{FileAnswer, Partners, batch_of};
use harbor_core::claims::{BatchState, ClaimEvent, status_event, status_in_words};
use harbor_core::money::remittance::Remittance;
use harbor_formats::x12;
use harbor_formats::x12::claim_status::ClaimStatus;
use harbor_formats::x12::envelope::{Envelope, Set};
use harbor_formats::x12::file_ack::FileAck;
use harbor_formats::x12::{claim_status, file_ack, remittance};
use harbor_store::jobs::Job;
use harbor_store::{Actor, Change, StoreError, claims};
use serde::Serialize;
use serde_json::Value;
use utoipa::ToSchema;
use uuid::Uuid;

pub(super) async fn send_batch(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let batch = claims::batch(&mut conn, job.subject).await?;
    let document = claims::document(&mut conn, batch.document_id).await?;
    drop(conn);
    let by = match &state.settings.exchange_folder {
        Some(folder) => {
            let (folder, control) = (folder.clone(), batch.control);
            tokio::task::spawn_blocking(move || exchange_folder::put_out(&folder, control, &document.content))
                .await??;
            "Put into the exchange folder for the clearing house."
        }
        None => {
            let text =
                String::from_utf8(document.content).map_err(|_| anyhow::anyhow!("the stored file is not text"))?;
            let answer = hand_over(state, "/exchange/files", "application/edi-x12", text).await?;
            let answer: Value =
                serde_json::from_str(&answer).map_err(|_| anyhow::anyhow!("the answer cannot be read"))?;
            if answer["status"] != "taken" {
                anyhow::bail!("the clearing house has not taken the file");
            }
            "Handed over to the clearing house."
        }
    };
    if batch.state == BatchState::Sending {
        let taken = async |change: &mut Change<'_>| change.batch_became(batch.id, BatchState::Sent, by).await;
        state.store.change(&Actor::system("clearing house"), state.now(), taken).await?;
    }
    Ok(())
}

/// Takes a file of the clearing house: acknowledgements move claims, remittances are posted. What belongs to nothing that we
/// know is kept as work.
pub async fn take_file(state: &State, content: &[u8]) -> Result<(), Problem> {
    let text = x12::envelope::decode(content);
    let document = x12::read(&text).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    let mut sets: Vec<(&Envelope, &Set)> = Vec::new();
    for interchange in &document.interchanges {
        let own = interchange.groups.iter().flat_map(|g| &g.sets);
        sets.extend(own.map(|set| (&interchange.envelope, set)));
    }
    let kinds: Vec<&str> = sets.iter().map(|(_, s)| s.kind).collect();
    if kinds.contains(&"835") {
        take_remittance_file(state, &Actor::system("clearing house"), content).await?;
        return Ok(());
    }
    state
        .store
        .change(&Actor::system("clearing house"), state.now(), async |change| {
            let kind = kinds.first().map_or("x12", |k| if *k == "999" { "999" } else { "277CA" });
            let (kept, new) = change.keep_document(kind, "in", content).await?;
            if !new {
                change.give_up();
                return Ok(());
            }
            let unreadable = |e: harbor_formats::Located| Problem::refused("unreadable", e.to_string());
            for (envelope, set) in &sets {
                match set.kind {
                    "999" => {
                        let ack = file_ack::read(set).map_err(unreadable)?;
                        let control = answered(state, envelope, &ack);
                        file_acknowledged(change, kept, control, &ack).await?;
                    }
                    "277" => {
                        for status in claim_status::read(set).map_err(unreadable)? {
                            claim_acknowledged(change, kept, &status).await?;
                        }
                    }
                    _ => {
                        let sentence = format!("A set {} is nothing that the clearing house sends.", set.kind);
                        change.keep_stray_answer(kept, kind, sentence).await?;
                    }
                }
            }
            Ok(())
        })
        .await
}

/// Keeps a file that cannot be used byte for byte, with what was found, as work for somebody. The same file once more is one.
pub async fn set_aside(state: &State, from: &Actor, content: &[u8], found: &Problem) -> anyhow::Result<()> {
    let kept = async |change: &mut Change<'_>| {
        let (id, new) = change.keep_document("refused", "in", content).await?;
        if new {
            change.keep_stray_answer(id, "refused file", found.detail.clone()).await?;
        } else {
            change.give_up();
        }
        Ok::<_, StoreError>(())
    };
    Ok(state.store.change(from, state.now(), kept).await?)
}

/// The control number of the batch that a 999 is about, or why it is about none of ours.
fn answered(state: &State, envelope: &Envelope, ack: &FileAck) -> Result<i64, String> {
    let answer = FileAnswer {
        group: &ack.group_kind,
        control: &ack.group_control,
        version: &ack.group_version,
        sender: &envelope.sender,
        receiver: &envelope.receiver,
    };
    let partners = Partners {
        us: &state.clinic.submitter_id,
        clearing_house: &state.clinic.clearing_house_id,
        version: x12::claim::VERSION,
    };
    batch_of(answer, partners)
}

async fn file_acknowledged(
    change: &mut Change<'_>,
    kept: Uuid,
    control: Result<i64, String>,
    ack: &FileAck,
) -> Result<(), Problem> {
    let batch = match control {
        Err(why) => Err(why),
        Ok(control) => claims::batch_by_control(change.conn(), control)
            .await?
            .ok_or_else(|| format!("No file of claims went out under the number {control}.")),
    };
    let batch = match batch {
        Ok(batch) => batch,
        Err(why) => return Ok(change.keep_stray_answer(kept, "999", why).await?),
    };
    if ack.is_accepted() {
        return Ok(change
            .batch_became(batch.id, BatchState::Accepted, "The clearing house has taken the file.")
            .await?);
    }
    let reasons = ack.reasons();
    change.batch_became(batch.id, BatchState::Rejected, &reasons.join("; ")).await?;
    for claim in change.claims_of_batch(batch.id).await? {
        let said = "The clearing house refused the file.";
        change.claim_happened(claim, ClaimEvent::Rejected, said, &reasons).await?;
    }
    Ok(())
}

async fn claim_acknowledged(change: &mut Change<'_>, kept: Uuid, status: &ClaimStatus) -> Result<(), Problem> {
    let Some((category, code, _)) = status.deciding() else { return Ok(()) };
    let words = status_in_words(code);
    let Some(claim) = claims::by_number(change.conn(), &status.claim_number).await? else {
        let sentence = format!(
            "Claim {} of {} {} is none of ours; it is said: {words} ({category} {code}).",
            status.claim_number, status.patient_first, status.patient_last
        );
        return Ok(change.keep_stray_answer(kept, "277CA", sentence).await?);
    };
    let Some(event) = status_event(category) else {
        let sentence = format!("Claim {}: {words} ({category} {code}), which moves no claim.", claim.number);
        return Ok(change.keep_stray_answer(kept, "277CA", sentence).await?);
    };
    let (sentence, reasons) = match event {
        ClaimEvent::Rejected => (format!("Rejected: {words} ({category} {code})."), vec![words]),
        _ => (format!("Accepted: {words} ({category} {code})."), vec![]),
    };
    // A version that takes this one's place names it by the payer's number.
    if event == ClaimEvent::Accepted && !status.payer_claim_number.is_empty() {
        change.set_payer_claim_number(claim.id, &status.payer_claim_number).await?;
    }
    change.claim_happened(claim.id, event, &sentence, &reasons).await?;
    Ok(())
}

/// What became of a remittance file.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UploadAnswer {
    pub posted: usize,
    pub posted_before: usize,
    pub matched: usize,
    pub unmatched: usize,
}

/// A remittance of a file, which is one, in the version that is read here, and for this clinic.
fn remittance_of(state: &State, version: &str, set: &Set) -> Result<Remittance, Problem> {
    if set.kind != "835" {
        let said = format!("The file holds a set {}; a remittance is a set 835.", set.kind);
        return Err(Problem::refused("not-a-remittance", said));
    }
    if version != remittance::VERSION {
        let said = format!("The file is written by version {version}; {} is read here.", remittance::VERSION);
        return Err(Problem::refused("another-version", said));
    }
    let read = remittance::read(set)
        .map_err(|e| Problem::refused("unreadable", format!("The remittance cannot be read: {e}.")))?;
    if read.payee_npi != state.clinic.npi {
        let said = format!("The payment is for {} ({}), not for this clinic.", read.payee_name, read.payee_npi);
        return Err(Problem::refused("another-payee", said));
    }
    Ok(read)
}

/// Posts every remittance of a file in one change: all or nothing.
pub async fn take_remittance_file(state: &State, actor: &Actor, bytes: &[u8]) -> Result<UploadAnswer, Problem> {
    let text = x12::envelope::decode(bytes);
    let document =
        x12::read(&text).map_err(|e| Problem::refused("unreadable", format!("This is no whole X12 file: {e}.")))?;
    let mut read = Vec::new();
    for interchange in &document.interchanges {
        let receiver = interchange.envelope.receiver.trim();
        if receiver != state.clinic.submitter_id {
            let said = format!("The file is for {receiver}, not for {}.", state.clinic.submitter_id);
            return Err(Problem::refused("another-receiver", said));
        }
        for group in &interchange.groups {
            for set in &group.sets {
                read.push(remittance_of(state, &group.version, set)?);
            }
        }
    }
    if read.is_empty() {
        return Err(Problem::refused("not-a-remittance", "The file holds no remittance."));
    }
    state
        .store
        .change(actor, state.now(), async |change| {
            let (document, _) = change.keep_document("835", "in", bytes).await?;
            let mut answer = UploadAnswer { posted: 0, posted_before: 0, matched: 0, unmatched: 0 };
            for (n, r) in read.iter().enumerate() {
                // Two payments under one trace in one file are two payments.
                let same = |o: &&Remittance| o.payer_id == r.payer_id && o.trace == r.trace;
                let part = i32::try_from(read[..n].iter().filter(same).count()).unwrap_or(i32::MAX);
                let posted = change.post_remittance(document, r, part).await?;
                if posted.now {
                    answer.posted += 1
                } else {
                    answer.posted_before += 1
                }
                answer.matched += posted.matched;
                answer.unmatched += posted.unmatched;
            }
            change.audit(
                "read",
                "document",
                document,
                None,
                format!("835: {} posted, {} before", answer.posted, answer.posted_before),
            );
            Ok(answer)
        })
        .await
}
