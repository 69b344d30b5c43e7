//! The clinic's text templates, by complaint.

use crate::World;
use anyhow::Result;
use chrono::{DateTime, Utc};
use diesel_async::RunQueryDsl;
use harbor_core::consult::NotePart as Part;
use harbor_store::documents::{Doc, TextOfPart};
use harbor_store::rows::TextTemplate;
use harbor_store::{Conn, schema};

pub struct Text {
    pub title: &'static str,
    /// What somebody comes with, for whom it is offered.
    pub complaints: &'static str,
    pub parts: &'static [(Part, &'static str)],
}

pub const TEXTS: &[Text] = &[
    Text {
        title: "Sore throat",
        complaints: "sore throat, throat pain, tonsils, strep",
        parts: &[
            (
                Part::History,
                "Sore throat for {how long}, {swallowing: painful | not painful} to swallow. Temperature up to \
                 {highest temperature: number °C}. {? No cough.} {? No contact with anybody ill.}",
            ),
            (
                Part::Examination,
                "Tonsils {tonsils: not enlarged | enlarged, no exudate | enlarged with exudate}. Nodes of the neck \
                 {nodes: not enlarged | enlarged and tender}. {? No rash.} Ears {ears: clear | red}.",
            ),
            (Part::Plan, "Rest, fluids, salt water. Back at once with trouble breathing, drooling or a stiff neck."),
        ],
    },
    Text {
        title: "Cough",
        complaints: "cough, bronchitis, cold, chest cold",
        parts: &[
            (
                Part::History,
                "Cough for {how long}, {cough: dry | with phlegm | with blood}. {? No shortness of breath.} {? No chest \
                 pain.} Smoking: {smoking: never | stopped | goes on}. Takes {= medicines}.",
            ),
            (
                Part::Examination,
                "Breathing {breathing: easy | laboured}. Lungs {lungs: clear on both sides | crackles | wheeze}. \
                 Temperature {= temperature}.",
            ),
            (
                Part::Plan,
                "Expected to last {weeks: number weeks} in all. Back with fever, blood, or breath short at rest.",
            ),
        ],
    },
    Text {
        title: "Ear pain",
        complaints: "ear pain, earache, ear infection",
        parts: &[
            (
                Part::History,
                "{side: Right | Left | Both} ear painful for {how long}. {? No discharge.} {? Hears as before.} Swimming \
                 of late: {swimming: no | yes}.",
            ),
            (
                Part::Examination,
                "Canal {canal: clear | red and swollen | full of wax}. Drum {drum: grey, moves | red, bulging | \
                 perforated | not seen}. Pressing the tragus {tragus: does not hurt | hurts}.",
            ),
        ],
    },
    Text {
        title: "Burning on passing water",
        complaints: "burning, dysuria, urinary symptoms, bladder infection, uti",
        parts: &[
            (
                Part::History,
                "Burning for {how long}, frequency {frequency: as usual | up}. {? No blood seen.} {? No fever, no flank \
                 pain.} {? Not pregnant, as she says.} Last such episode: {last episode}.",
            ),
            (
                Part::Examination,
                "Belly {belly: soft | tender above the pubis}. Flanks {flanks: not tender | tender on the right | tender \
                 on the left}. Dipstick {dipstick: not done | leucocytes | nitrite | leucocytes and nitrite | negative}.",
            ),
            (Part::Plan, "Drink freely. Back with fever, vomiting or flank pain."),
        ],
    },
    Text {
        title: "Low back pain",
        complaints: "back pain, low back pain, lumbago",
        parts: &[
            (
                Part::History,
                "Low back pain since {since: date} after {after: lifting | a fall | nothing in particular}, {legs: not into \
                 the legs | into the right leg | into the left leg}. Pain {pain: number /10}. {? No numbness of the saddle, \
                 bladder and bowel as before.} {? No fever, no weight loss, no cancer known.}",
            ),
            (
                Part::Examination,
                "Gait {gait: normal | guarded}. Spine {spine: not tender | tender at one level}. Leg raise {leg raise: \
                 negative | positive on the right | positive on the left}. Strength and reflexes {strength: equal | weaker \
                 on the right | weaker on the left}.",
            ),
            (
                Part::Plan,
                "Keep moving. Heat as it helps. At once with numbness of the saddle or loss of bladder or bowel.",
            ),
        ],
    },
    Text {
        title: "Knee pain",
        complaints: "knee pain, knee injury",
        parts: &[
            (
                Part::History,
                "{side: Right | Left} knee painful for {how long}, {how: after a twist | after a fall | without injury}. \
                 {? No locking, no giving way.} Stairs: {stairs: no trouble | hurt}.",
            ),
            (
                Part::Examination,
                "Effusion {effusion: none | small | large}. Bends to {flexion: number °}. Joint line {joint line: not \
                 tender | tender inside | tender outside}. Ligaments {ligaments: firm | lax}.",
            ),
        ],
    },
    Text {
        title: "Headache",
        complaints: "headache, migraine",
        parts: &[
            (
                Part::History,
                "Headache for {how long}, {where: one side | both sides | back of the head}, {kind: pulsing | pressing | \
                 stabbing}. Pain {pain: number /10}. {? Not the worst ever, did not begin within a minute.} {? No fever, no \
                 stiff neck.} Light {light: does not bother | bothers}. Tablets against it on {days: number days a month}.",
            ),
            (
                Part::Examination,
                "Blood pressure {= blood pressure}. Neck {neck: supple | stiff}. Pupils {pupils: equal | unequal}. Gait and \
                 limbs {limbs: without finding | with finding}. Discs {discs: sharp | blurred | not seen}.",
            ),
        ],
    },
    Text {
        title: "High blood pressure, review",
        complaints: "blood pressure, hypertension, htn",
        parts: &[
            (
                Part::History,
                "At home {home pressure}. Takes {= medicines}, {misses: misses none | misses some}. {? No dizziness, no \
                 swelling, no cough.}",
            ),
            (
                Part::Examination,
                "Blood pressure {= blood pressure}, weight {= weight}. Heart {heart: regular | irregular}. {? No oedema.}",
            ),
            (
                Part::Plan,
                "Goal below {goal}. Home readings for {weeks: number weeks}, brought along. Next laboratory {laboratory: date}.",
            ),
        ],
    },
    Text {
        title: "Diabetes, review",
        complaints: "diabetes, dm2, sugar",
        parts: &[
            (
                Part::History,
                "Fasting glucose {fasting glucose: number mg/dL}. {? No lows.} Takes {= medicines}. Eyes last looked at \
                 {eyes: date}. Meals and walking: {meals and walking}.",
            ),
            (
                Part::Examination,
                "Weight {= weight}, blood pressure {= blood pressure}. Feet: skin {skin: whole | broken}, monofilament \
                 {monofilament: felt everywhere | not felt everywhere}, pulses {pulses: felt | not felt}.",
            ),
            (Part::Plan, "HbA1c goal {goal: number %}. {? Foot care talked through.} Back in {months: number months}."),
        ],
    },
    Text {
        title: "Low mood",
        complaints: "depression, low mood, sadness",
        parts: &[
            (
                Part::History,
                "Low for {how long}, {began: after a loss | slowly | out of the blue}. Sleep {sleep: as before | broken | too \
                 much}, appetite {appetite: as before | less | more}. Thoughts of death or self-harm: {thoughts of \
                 self-harm: none | passing, no plan | with a plan}. At home: {who is at home}.",
            ),
            (
                Part::Plan,
                "{? Agreed whom to call when it gets worse, at any hour.} Talking therapy {therapy: not wanted | referred | \
                 under way}. Back in {weeks: number weeks}.",
            ),
        ],
    },
    Text {
        title: "Rash",
        complaints: "rash, itching, eczema, hives",
        parts: &[
            (
                Part::History,
                "Rash since {since: date}, first {first seen: on the trunk | on the face | on the arms | on the legs}. Itch \
                 {itch: none | some | bad}. New: {new food, soap or medicine}. Allergies: {= allergies}. {? No swelling of \
                 lips or tongue, no trouble breathing.}",
            ),
            (
                Part::Examination,
                "{pattern: Scattered | In patches | In a band} over {where}, {kind: flat | raised | blisters | scaling}, \
                 {colour}. {? No blisters of the mouth.}",
            ),
        ],
    },
    Text {
        title: "Well child",
        complaints: "well child, well-child, child check, checkup child",
        parts: &[
            (
                Part::History,
                "{= name}, {= age}. Eats {eats: well | poorly}, sleeps {sleeps: through | broken}. {? No worries of the \
                 parents.} Says and does: {milestones}.",
            ),
            (
                Part::Examination,
                "Weight {= weight}, height {= height}. Heart {heart: no murmur | murmur}. Hips {hips: even | uneven}. Teeth \
                 {teeth: clean | decay}. {? Walks and plays for the age.}",
            ),
            (Part::Advice, "Car seat, sleep, sun, screens and reading talked about. Next check {next check: date}."),
        ],
    },
    Text {
        title: "Yearly examination",
        complaints: "physical, annual, yearly, checkup",
        parts: &[
            (
                Part::Systems,
                "{? No chest pain, no shortness of breath.} {? Weight steady.} {? Bowel and bladder as before.} Mood {mood: \
                 good | low}. Sleep {sleep: good | poor}.",
            ),
            (
                Part::Examination,
                "Blood pressure {= blood pressure}, weight {= weight}. Skin {skin: nothing suspicious | to be watched}. Heart \
                 {heart: regular, no murmur | irregular | murmur}. Lungs {lungs: clear | not clear}. Belly {belly: soft | \
                 tender}.",
            ),
            (Part::Advice, "Due: {screening due}. {? Seat belt, alcohol and smoking talked about.}"),
        ],
    },
    Text {
        title: "Ankle sprain",
        complaints: "ankle, ankle sprain, twisted ankle",
        parts: &[
            (
                Part::History,
                "Turned the {side: right | left} ankle on {on: date}. Could {walking: walk | not walk} four steps afterwards. {? \
                 No earlier sprain of it.}",
            ),
            (
                Part::Examination,
                "Swelling {swelling: none | outside | both sides}. Bone {bone: not tender | tender at the outer tip | tender \
                 at the inner tip | tender at the foot}. {? Squeezing the calf does not hurt.}",
            ),
            (
                Part::Plan,
                "Cool, bandage, up; weight as it allows. Picture only when bone is tender or four steps are not possible.",
            ),
        ],
    },
    Text {
        title: "Telephone call",
        complaints: "telephone, phone, call back",
        parts: &[
            (
                Part::History,
                "Called {who: the patient | a parent | a relative}, known by name and birth date. Asked: {question}.",
            ),
            (Part::Plan, "Told: {answer}. {? Understood, and repeated in own words.} Call again when {when}."),
        ],
    },
];

pub async fn build(world: &mut World, conn: &mut Conn, at: DateTime<Utc>, by: &str) -> Result<()> {
    let mut rows = Vec::new();
    for text in TEXTS {
        let id = world.ids.fresh();
        let of_part = |(part, body): &(Part, &str)| TextOfPart { part: (*part).into(), body: (*body).to_owned() };
        rows.push(TextTemplate {
            id,
            entry_id: id,
            version: 1,
            owner_id: None,
            title: text.title.to_owned(),
            complaints: text.complaints.to_owned(),
            texts: Doc(text.parts.iter().map(of_part).collect()),
            ended: false,
            recorded_at: at,
            recorded_by: by.to_owned(),
        });
    }
    diesel::insert_into(schema::text_templates::table).values(&rows).execute(conn).await?;
    Ok(())
}
