//! Questions to the payers about coverage.

use super::hand_over;
use crate::state::State;
use harbor_core::claims::assembling::plain;
use harbor_core::claims::lawful::{most, written};
use harbor_core::coverage::{BenefitQuestion, InsuredPerson};
use harbor_formats::x12;
use harbor_formats::x12::benefits;
use harbor_store::jobs::Job;
use harbor_store::rows::Person;
use harbor_store::{Actor, Topic, claims, coverage, people};

pub(super) async fn ask_benefits(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let check = coverage::check(&mut conn, job.subject).await?;
    let policy = coverage::get(&mut conn, check.coverage_id).await?;
    let payer = coverage::payer(&mut conn, policy.payer_id).await?;
    let patient = people::get(&mut conn, policy.person_id).await?;
    let holder = match policy.holder_id {
        Some(id) => people::get(&mut conn, id).await?,
        None => patient.clone(),
    };
    drop(conn);
    let insured = |p: &Person, number: &str, group: &str| InsuredPerson {
        last: written(&p.last_name, most::LAST_NAME).text,
        first: written(&p.first_name, most::FIRST_NAME).text,
        birth_date: p.birth_date,
        sex: p.sex.map(|s| s.code().to_owned()),
        subscriber_number: number.to_owned(),
        group_number: group.to_owned(),
    };
    let question = BenefitQuestion {
        trace: check.trace.clone(),
        payer_name: plain(&payer.name),
        payer_id: payer.payer_code.clone(),
        provider_name: plain(&state.clinic.name),
        provider_npi: state.clinic.npi.clone(),
        subscriber: insured(&holder, &policy.subscriber_number, &policy.group_number),
        dependent: policy.holder_id.map(|_| (insured(&patient, "", ""), *policy.relationship)),
        service_date: check.service_date,
    };
    let control = claims::next_control(&mut *state.store.reader().await?).await?;
    let stamp = crate::claim_file::stamp(state, u32::try_from(control).unwrap_or(0));
    let sent = benefits::write_question(&stamp, &question);
    let received = hand_over(state, "/exchange/benefits", "application/edi-x12", sent.clone()).await?;
    let read = x12::read(&received).and_then(|d| {
        let set = d.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets).find(|s| s.kind == "271");
        set.map(benefits::read_answer).transpose()
    });
    state
        .store
        .change(&Actor::system("payer"), state.now(), async |change| {
            change.keep_document("270", "out", sent.as_bytes()).await?;
            change.keep_document("271", "in", received.as_bytes()).await?;
            match read {
                Ok(Some(answer)) if answer.trace == check.trace => {
                    change.answer_benefits(check.id, check.person_id, Some(&answer), None).await?;
                }
                Ok(_) | Err(_) => {
                    let why = "The payer's answer cannot be read; ask again, or call the payer.".to_owned();
                    change.answer_benefits(check.id, check.person_id, None, Some(why)).await?;
                }
            }
            if let Some(visit) = check.visit_id {
                change.tell(Topic::Visit, visit);
            }
            Ok(())
        })
        .await
}
