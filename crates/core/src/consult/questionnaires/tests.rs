use super::*;

fn of(id: &str) -> Questionnaire {
    shipped().into_iter().find(|q| q.id == id).unwrap()
}

/// Answers that come to so many points: as many as each question gives, from the first on.
fn with_points(q: &Questionnaire, mut points: i32) -> Answers {
    let mut answers = Answers::new();
    for link in &q.scores[0].of {
        let question = q.question(link).unwrap();
        let given = points.min(question.most());
        points -= given;
        answers.insert(link.clone(), Answer::Chosen(usize::try_from(given).unwrap()));
    }
    assert_eq!(points, 0);
    answers
}

fn means(id: &str, points: i32, sex: Sex) -> (Option<String>, bool) {
    let q = of(id);
    let scored = q.score(&with_points(&q, points), sex).remove(0);
    assert_eq!(scored.points, Some(points));
    (scored.means, scored.raised)
}

#[test]
fn every_band_begins_and_ends_where_its_source_says() {
    for (id, edges) in [
        ("phq-2", &[(0, "negative"), (2, "negative"), (3, "positive"), (6, "positive")][..]),
        (
            "phq-9",
            &[
                (0, "minimal"),
                (4, "minimal"),
                (5, "mild"),
                (9, "mild"),
                (10, "moderate"),
                (14, "moderate"),
                (15, "moderately severe"),
                (19, "moderately severe"),
                (20, "severe"),
                (27, "severe"),
            ],
        ),
        (
            "gad-7",
            &[
                (0, "minimal"),
                (4, "minimal"),
                (5, "mild"),
                (9, "mild"),
                (10, "moderate"),
                (14, "moderate"),
                (15, "severe"),
                (21, "severe"),
            ],
        ),
    ] {
        for (points, word) in edges {
            for sex in [Sex::Female, Sex::Male, Sex::Unknown] {
                let (said, _) = means(id, *points, sex);
                assert!(said.as_deref().is_some_and(|s| s.contains(word)), "{id} {points}: {said:?}");
            }
        }
    }
    assert_eq!((means("phq-9", 9, Sex::Male).1, means("phq-9", 10, Sex::Male).1), (false, true));
}

#[test]
fn a_band_that_depends_on_the_sex_is_not_guessed() {
    for (points, sex, raised) in [
        (2, Sex::Female, false),
        (3, Sex::Female, true),
        (3, Sex::Male, false),
        (4, Sex::Male, true),
        (12, Sex::Male, true),
    ] {
        assert_eq!(means("audit-c", points, sex).1, raised, "{points} {sex:?}");
    }
    assert_eq!(means("audit-c", 3, Sex::Unknown), (None, false));
    let q = of("audit-c");
    assert_eq!(q.score(&with_points(&q, 3), Sex::Unknown)[0].in_words(), "AUDIT-C: 3 of 12");
}

#[test]
fn a_score_with_an_answer_missing_is_no_score() {
    let q = of("phq-9");
    let mut answers = with_points(&q, 11);
    assert_eq!(q.score(&answers, Sex::Female)[0].in_words(), "PHQ-9: 11 of 27, moderate");
    answers.remove("3");
    let scored = &q.score(&answers, Sex::Female)[0];
    assert_eq!((scored.points, scored.missing, &scored.means), (None, 1, &None));
    assert_eq!(scored.in_words(), "PHQ-9: one answer is missing");
    assert_eq!(q.score(&Answers::new(), Sex::Female)[0].in_words(), "PHQ-9: 9 answers are missing");
    // The tenth question stands beside the score, whatever is said there.
    let mut all = with_points(&q, 0);
    all.insert("10".into(), Answer::Chosen(3));
    assert_eq!(q.score(&all, Sex::Female)[0].points, Some(0));
}

#[test]
fn a_dangerous_answer_is_told_before_anything_else_is_answered() {
    let q = of("phq-9");
    let mut answers = Answers::from([("9".to_owned(), Answer::Chosen(0))]);
    assert_eq!(q.alarms(&answers), Vec::<&str>::new());
    answers.insert("9".into(), Answer::Chosen(1));
    assert_eq!(q.alarms(&answers).len(), 1);
    assert!(q.alarms(&answers)[0].contains("self-harm"));
}

#[test]
fn answers_that_do_not_belong_are_told_and_count_nothing() {
    let q = of("phq-2");
    let answers = Answers::from([
        ("1".to_owned(), Answer::Chosen(4)),
        ("2".to_owned(), Answer::Words("often".into())),
        ("7".to_owned(), Answer::Chosen(0)),
    ]);
    assert_eq!(q.unfit(&answers).len(), 3);
    assert_eq!(q.score(&answers, Sex::Female)[0].missing, 2);
}

#[test]
fn what_ships_is_sound_and_what_is_not_says_why() {
    for q in shipped() {
        assert_eq!(q.faults(), Vec::<String>::new(), "{}", q.id);
    }
    let mut q = of("phq-2");
    q.scores[0].bands[1].from = 4;
    q.questions[1].link = "1".into();
    q.alarms.push(Alarm { link: "1".into(), from: 9, sentence: "never".into() });
    let said = q.faults().join(" ");
    for fault in
        ["Two questions are called 1.", "counts a question 2 that is not there", "No answer ever tells “never”."]
    {
        assert!(said.contains(fault), "{fault} in {said}");
    }
    let mut gap = of("gad-7");
    gap.scores[0].bands[2].to = 13;
    assert_eq!(gap.faults(), ["The bands of GAD-7 do not follow each other at 14 points."]);
    gap.scores[0].bands.truncate(2);
    assert_eq!(gap.faults(), ["The bands of GAD-7 end before 21 points, or after."]);
    let same = Question {
        choices: vec![Choice { text: "yes".into(), points: 0 }, Choice { text: " yes".into(), points: 1 }],
        ..gap.questions[0].clone()
    };
    gap.questions[0] = same;
    assert!(gap.faults().join(" ").contains("are not told apart"));
}

/// A version that ships later is not hidden by an older one that was asked before.
#[test]
fn a_newer_shipped_version_comes_up() {
    for (kept, asked) in [
        (None, true),
        (Some((1, false)), true),
        (Some((2, false)), false),
        (Some((3, false)), false),
        (Some((1, true)), false),
    ] {
        assert_eq!(ships_still(2, kept), asked, "{kept:?}");
    }
}
