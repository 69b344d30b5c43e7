//! The laboratory's bench, as a person plays the other side.

use crate::outside::{Outside, lucan, now, requisition};
use harbor_core::orders::{Interpretation, LabReport, ReportStatus, Said};
use harbor_formats::fhir::laboratory::write_order;
use harbor_formats::fhir::reports::read_report;

async fn press(outside: &Outside, fields: &[(&str, &str)]) {
    let answer = outside.form("/laboratory/bench/0", fields).await;
    assert!(answer == 200 || answer == 303, "{answer}");
}

async fn sent(outside: &Outside) -> Vec<LabReport> {
    let all = outside.released("/laboratory/reports", 0).await;
    all.iter().map(|(_, content)| read_report(content.as_bytes()).unwrap()).collect()
}

#[actix_web::test]
async fn what_somebody_types_on_the_bench_is_what_goes_out() {
    let outside = Outside::open(false);
    assert!(outside.get("/laboratory/bench").await.1.contains("No order has come in yet."));
    outside.post("/laboratory/fhir", write_order(&requisition("RB", &["2823-3"])).unwrap()).await;
    let (_, page) = outside.get("/laboratory/bench").await;
    assert!(page.contains("name=value0") && page.contains("nothing yet") && page.contains("Ferreira-Holm"), "{page}");
    assert!(sent(&outside).await.is_empty(), "nothing goes out by itself");
    let release = [("do", "release"), ("unit0", "mmol/L"), ("status", "final")];
    // Hardly possible: asked once more, and then taken as it is.
    press(&outside, &[&release[..], &[("value0", "51")]].concat()).await;
    assert!(outside.get("/laboratory/bench").await.1.contains("Hardly possible: Potassium 51."));
    assert!(sent(&outside).await.is_empty());
    press(&outside, &[&release[..], &[("value0", "51"), ("accept", "on")]].concat()).await;
    let first = sent(&outside).await.remove(0);
    assert_eq!((&first.values[0].said, first.status), (&Said::number(51.0), ReportStatus::Final));
    assert_eq!(first.values[0].interpretation, Some(Interpretation::CriticalHigh));
    assert_eq!(first.subject.record_number, lucan().record_number);
    // Corrected, in words, twice, and late.
    let correct =
        [("do", "release"), ("status", "corrected"), ("value0", "<2.5"), ("unit0", "mmol/L"), ("accept", "on")];
    press(&outside, &[&correct[..], &[("twice", "on"), ("issued", "24")]].concat()).await;
    let all = sent(&outside).await;
    assert_eq!((all.len(), all[1].status), (3, ReportStatus::Corrected));
    assert_eq!((all[1].values[0].said.in_words().as_str(), all[1].issued), ("<2.5", now() - chrono::Duration::days(1)));
    assert_eq!(all[1], all[2]);
    let words = [("do", "release"), ("status", "preliminary"), ("value0", "hemolysed"), ("unit0", "")];
    press(&outside, &words).await;
    assert_eq!(sent(&outside).await[3].values[0].said, Said::Words("hemolysed".into()));
    outside.close().await;
}

#[actix_web::test]
async fn a_specimen_is_rejected_with_a_reason_and_labels_go_wrong() {
    let outside = Outside::open(false);
    outside.post("/laboratory/fhir", write_order(&requisition("RB", &["2823-3"])).unwrap()).await;
    press(&outside, &[("do", "reject"), ("conclusion", " ")]).await;
    assert!(outside.get("/laboratory/bench").await.1.contains("Say why the specimen is rejected."));
    press(&outside, &[("do", "reject"), ("conclusion", "clotted")]).await;
    let rejected = sent(&outside).await.remove(0);
    assert_eq!((rejected.status, rejected.values.len()), (ReportStatus::Cancelled, 0));
    assert_eq!(rejected.conclusion, "clotted");
    for (whom, order, number, last) in [
        ("unreadable", "", "", "Fereira-Holm"),
        ("unknown", "", "IH-00000", "Nemorensis"),
        ("another", "RB-0", "IH-00000", "Ferreira-Holm"),
    ] {
        press(&outside, &[("do", "release"), ("value0", "4.1"), ("unit0", "mmol/L"), ("whom", whom)]).await;
        let report = sent(&outside).await.pop().unwrap();
        let told =
            (report.order_reference.as_str(), report.subject.record_number.as_str(), report.subject.last.as_str());
        assert_eq!(told, (order, number, last), "{whom}");
    }
    // Of what is not there nothing goes out.
    outside.form("/laboratory/bench/77", &[("do", "release")]).await;
    assert_eq!(sent(&outside).await.len(), 4);
    outside.close().await;
}

#[actix_web::test]
async fn work_that_has_begun_is_told_without_values_and_a_specimen_told_later_is_heard() {
    use chrono::Timelike;
    use harbor_core::orders::specimens::TakenSpecimen;
    use harbor_formats::fhir::specimen::{Taken, write_taken};
    let outside = Outside::open(false);
    outside.post("/laboratory/fhir", write_order(&requisition("RB", &["2823-3"])).unwrap()).await;
    let taken = TakenSpecimen {
        specimen: "serum".into(),
        container: "serum gel tube".into(),
        at: now().with_nanosecond(0).unwrap(),
        by: "Yusra Calder".into(),
        orders: vec!["RB-0".into()],
    };
    let told = write_taken(&Taken { requisition: "RB".into(), specimens: vec![taken] }).unwrap();
    let (status, answer) = outside.post("/laboratory/fhir", told).await;
    assert!(status == 200 && answer.contains("accepted") && answer.contains("RB"), "{status} {answer}");
    // Whatever is typed beside it: nothing of it goes out before it is measured.
    press(&outside, &[("do", "release"), ("status", "registered"), ("value0", "51"), ("unit0", "mmol/L")]).await;
    let begun = sent(&outside).await.remove(0);
    assert_eq!((begun.status, begun.values.len()), (ReportStatus::Registered, 0));
    press(&outside, &[("do", "release"), ("status", "final"), ("value0", "4.2"), ("unit0", "mmol/L")]).await;
    assert_eq!(sent(&outside).await[1].values[0].said, Said::number(4.2));
    outside.close().await;
}
