//! Paper: readable templates (`papers/*.typ`) set with data, in the typeface of the screens, as PDF.
//!
//! [`set`] makes a [`Sheet`] of the data that its template reads; [`Typeface`] is made once of the screens' fonts. The
//! crate stands alone because the typesetter is a third of the build: nothing else waits for it.

mod bars;

pub use bars::bars;

use anyhow::{Context, Result, anyhow, bail};
use serde_json::Value;
use std::sync::OnceLock;
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration, Smart};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};
use typst_layout::PagedDocument;
use typst_pdf::PdfOptions;

/// What can be printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sheet {
    /// The lists of one or more days.
    DayLists,
    /// A person's appointments to take home.
    Slip,
    /// One letter a page.
    Letters,
    /// Whom to call, with room for a mark.
    Calls,
    /// What was paid, for what, and what is left.
    Receipt,
    /// Statements, one after the other.
    Statement,
    /// What care will cost who pays alone.
    Estimate,
    /// A claim by the numbered fields of the professional claim form.
    ClaimForm,
    /// A letter to a payer that denied something.
    Appeal,
    /// A form with its signature.
    SignedForm,
    /// The note of a visit.
    Note,
    /// The chart of a person.
    Chart,
    /// A requisition, a request for a study, a letter of referral.
    Order,
    /// Labels for specimens, one a page of their size.
    Labels,
    /// What is dispensed from paper, or a copy of what went to a pharmacy.
    Prescription,
    /// Medicines by time of day, to take home.
    Medicines,
    /// What a patient reads of a medicine.
    Leaflet,
}

impl Sheet {
    fn template(self) -> &'static str {
        match self {
            Sheet::DayLists => include_str!("../papers/day_lists.typ"),
            Sheet::Slip => include_str!("../papers/slip.typ"),
            Sheet::Letters => include_str!("../papers/letters.typ"),
            Sheet::Calls => include_str!("../papers/calls.typ"),
            Sheet::Receipt => include_str!("../papers/receipt.typ"),
            Sheet::Statement => include_str!("../papers/statement.typ"),
            Sheet::Estimate => include_str!("../papers/estimate.typ"),
            Sheet::ClaimForm => include_str!("../papers/claim_form.typ"),
            Sheet::Appeal => include_str!("../papers/appeal.typ"),
            Sheet::SignedForm => include_str!("../papers/signed_form.typ"),
            Sheet::Note => include_str!("../papers/note.typ"),
            Sheet::Chart => include_str!("../papers/chart.typ"),
            Sheet::Order => include_str!("../papers/order.typ"),
            Sheet::Labels => include_str!("../papers/labels.typ"),
            Sheet::Prescription => include_str!("../papers/prescription.typ"),
            Sheet::Medicines => include_str!("../papers/medicines.typ"),
            Sheet::Leaflet => include_str!("../papers/leaflet.typ"),
        }
    }
}

/// What every paper shares: page, type, head and foot.
const HOUSE: &str = include_str!("../papers/house.typ");

/// Gives fonts packed as WOFF2.
type Packed = Box<dyn Fn() -> Vec<Vec<u8>> + Send + Sync>;

/// The typeface, unpacked once from the fonts that the screens use. The letters that it lacks (Greek, Cyrillic, Arabic,
/// Chinese) are unpacked with the first paper that needs one: they are large, and seldom met.
pub struct Typeface {
    own: Case,
    others: Packed,
    whole: OnceLock<Case>,
    library: LazyHash<Library>,
}

/// Fonts with what the typesetter must know to choose among them.
struct Case {
    book: LazyHash<FontBook>,
    fonts: Vec<Font>,
}

impl Case {
    fn of(fonts: Vec<Font>) -> Case {
        Case { book: LazyHash::new(FontBook::from_fonts(&fonts)), fonts }
    }
}

fn unpacked(packed: Vec<u8>) -> Result<Vec<Font>> {
    let plain = wuff::decompress_woff2(&packed).map_err(|e| anyhow!("a font cannot be unpacked: {e:?}"))?;
    Ok(Font::iter(Bytes::new(plain)).collect())
}

/// Whether a text has letters beyond the Latin ones and the signs that our family has.
fn is_beyond(text: &str) -> bool {
    let beyond = |c| matches!(c, '\u{370}'..='\u{1DFF}' | '\u{1EA0}'..='\u{1EF1}' | '\u{1EF4}'..='\u{1FFF}' | '\u{2E80}'..='\u{FDFF}' | '\u{FE70}'..='\u{FEFF}' | '\u{20000}'..);
    text.chars().any(beyond)
}

impl Typeface {
    /// From fonts packed as WOFF2: our own, and what gives the letters that they lack.
    pub fn unpack(
        packed: impl IntoIterator<Item = Vec<u8>>,
        others: impl Fn() -> Vec<Vec<u8>> + Send + Sync + 'static,
    ) -> Result<Typeface> {
        let mut fonts = Vec::new();
        for packed in packed {
            fonts.extend(unpacked(packed)?);
        }
        if fonts.is_empty() {
            bail!("the front end with its fonts is not built");
        }
        let library = LazyHash::new(Library::default());
        Ok(Typeface { own: Case::of(fonts), others: Box::new(others), whole: OnceLock::new(), library })
    }

    /// The fonts for a text. A piece that cannot be unpacked is left out: the paper is set all the same.
    fn case_for(&self, text: &str) -> &Case {
        if !is_beyond(text) {
            return &self.own;
        }
        self.whole.get_or_init(|| {
            let more = (self.others)().into_iter().filter_map(|packed| unpacked(packed).ok()).flatten();
            Case::of(self.own.fonts.iter().cloned().chain(more).collect())
        })
    }
}

/// One paper being set: its template, the house style, and the data.
struct Desk<'a> {
    kind: &'a Typeface,
    case: &'a Case,
    main: Source,
    house: Source,
    data: (FileId, Bytes),
}

fn file(name: &str) -> Result<FileId> {
    let path = VirtualPath::new(name).map_err(|e| anyhow!("{e:?}"))?;
    Ok(RootedPath::new(VirtualRoot::Project, path).intern())
}

impl World for Desk<'_> {
    fn library(&self) -> &LazyHash<Library> {
        &self.kind.library
    }

    fn book(&self) -> &LazyHash<FontBook> {
        &self.case.book
    }

    fn main(&self) -> FileId {
        self.main.id()
    }

    fn source(&self, id: FileId) -> FileResult<Source> {
        [&self.main, &self.house].into_iter().find(|s| s.id() == id).cloned().ok_or(FileError::AccessDenied)
    }

    fn file(&self, id: FileId) -> FileResult<Bytes> {
        if id == self.data.0 { Ok(self.data.1.clone()) } else { Err(FileError::AccessDenied) }
    }

    fn font(&self, index: usize) -> Option<Font> {
        self.case.fonts.get(index).cloned()
    }

    /// The data say what day it is; a paper looks at no clock.
    fn today(&self, _: Option<Duration>) -> Option<Datetime> {
        None
    }
}

/// Sets a paper. The same data give the same pages.
pub fn set(typeface: &Typeface, sheet: Sheet, data: &Value) -> Result<Vec<u8>> {
    let text = serde_json::to_string(data)?;
    let case = typeface.case_for(&text);
    let bytes = Bytes::new(text.into_bytes());
    let desk = Desk {
        kind: typeface,
        case,
        main: Source::new(file("paper.typ")?, sheet.template().to_owned()),
        house: Source::new(file("house.typ")?, HOUSE.to_owned()),
        data: (file("data.json")?, bytes),
    };
    let said = |all: Vec<String>| anyhow!("the paper cannot be set: {}", all.join("; "));
    let pages: PagedDocument =
        typst::compile(&desk).output.map_err(|all| said(all.iter().map(|d| d.message.to_string()).collect()))?;
    let options = PdfOptions { creator: Smart::Custom(Some("Indigo Harbor".into())), ..PdfOptions::default() };
    let pdf = typst_pdf::pdf(&pages, &options).map_err(|all| said(all.iter().map(|d| d.message.to_string()).collect()));
    // What was set before is remembered for a while, not for ever.
    typst::comemo::evict(8);
    pdf.context("writing the PDF")
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    /// The plain fonts of a package of the front end.
    fn fonts(package: &str) -> Vec<Vec<u8>> {
        let files = std::fs::read_dir(format!("../../web/node_modules/@fontsource/{package}/files")).unwrap();
        let plain =
            files.filter_map(|f| Some(f.ok()?.path())).filter(|p| p.to_string_lossy().ends_with("-400-normal.woff2"));
        plain.map(|p| std::fs::read(p).unwrap()).collect()
    }

    fn typeface() -> Typeface {
        let others = || ["noto-sans", "noto-sans-arabic", "noto-sans-sc"].into_iter().flat_map(fonts).collect();
        Typeface::unpack(fonts("atkinson-hyperlegible-next"), others).unwrap()
    }

    #[test]
    fn names_are_legible_in_the_letters_in_which_they_are_written() {
        let typeface = typeface();
        let latin = "Zoë Ünal-Łoś";
        assert_eq!(typeface.case_for(latin).fonts.len(), typeface.own.fonts.len(), "nothing more is unpacked for it");
        for name in ["Ελένη Παπαδοπούλου", "Наталья Ковальчук", "ليلى حداد", "王小明", "Nguyễn Thị Hạnh"]
        {
            let case = typeface.case_for(name);
            let missing: Vec<char> = name
                .chars()
                .filter(|c| !case.fonts.iter().any(|f| f.info().coverage.contains(u32::from(*c))))
                .collect();
            assert!(missing.is_empty(), "{name}: boxes in place of {missing:?}");
        }
    }

    #[test]
    fn every_paper_can_be_set_even_with_nothing_and_with_strange_words() {
        let typeface = typeface();
        let odd = "#pagebreak() *x* $1 \\ <a> Zoë Ünal-Łoś";
        let head = json!({ "clinic": odd, "address": odd, "telephone": "207 555 0100", "printed": "Nov 23" });
        let day = json!({ "title": odd, "note": odd, "rows": [{ "time": "09:00", "sign": "Amber 1", "name": odd,
            "born": "1962-03-04", "number": "IH-10001", "type": odd, "reason": odd, "note": odd, "contact": odd }] });
        let visit = json!({ "day": odd, "time": "9:00", "clinician": odd, "site": odd, "type": odd });
        let letter = json!({ "to": [odd, "1 Lane", "Port Calder, ME 04998"], "date": "Nov 23", "subject": odd,
            "body": odd, "reference": "0199", "large": true });
        let call = json!({ "name": odd, "phone": "207 555 0101", "born": "", "about": odd, "why": odd });
        let receipt = json!({ "head": head, "title": odd, "payer": odd, "at": odd, "by": odd, "sum-words": odd,
            "sum": "75.00", "parts": [{ "name": odd, "words": odd, "amount": "25.00" }], "left": odd, "note": odd,
            "means": [{ "words": odd, "amount": "75.00" }], "number": "0199", "large": false });
        let claim_line = json!({ "day": "11/23/2026", "place": "11", "service": odd, "pointers": "AB", "charge": "195.00",
            "units": "1", "rendering": "1900000015" });
        let claim_form = |pages: Value| json!({ "head": head, "title": odd, "fields": [{ "number": "1a", "label": odd, "value": odd }], "pages": pages });
        let appeal = |denied: Value| {
            json!({ "head": head, "title": odd, "to": [odd, odd], "date": odd, "facts": [{ "label": odd, "words": odd }],
                "denied": denied, "words": [odd], "signed": odd })
        };
        let form = |strokes: Value| {
            json!({ "head": head, "name": odd, "patient": odd, "born": odd, "number": "IH-10001", "body": [odd, odd],
                "strokes": strokes, "signer": odd, "at": odd, "large": true })
        };
        let said = json!({ "label": odd, "body": odd, "words": odd, "signed": odd });
        let patient = json!({ "name": odd, "line": odd });
        let estimated = json!({ "name": odd, "code": "IH213", "units": 2, "price": odd, "sum": odd });
        let estimate = |lines: Value| {
            json!({ "head": head, "name": odd, "line": odd, "for": odd, "day": odd, "diagnoses": odd, "lines": lines,
                "total": odd, "who": odd, "where": odd, "numbers": odd, "made": odd, "apart": odd, "disputable": odd,
                "days": 120, "number": odd, "large": false })
        };
        let note = |struck: &str, all: Value| {
            json!({ "head": head, "patient": patient, "visit": odd, "heading": odd, "struck": struck, "lists": all,
                "measured": odd, "asked": "", "before": all, "after": all, "signed": odd, "cosigned": struck,
                "runs": [{ "title": odd, "code": "I10", "parts": all, "ordered": odd, "prescribed": [odd] }],
                "digest": struck, "addenda": all, "large": false })
        };
        let chart = |all: Value| {
            json!({ "head": head, "patient": patient, "alert": odd, "lists": all, "measured": "", "results": all,
                "visits": all, "large": true })
        };
        let order = |some: Value, bars: Value| {
            json!({ "head": head, "title": odd, "urgency": odd, "dated": odd, "bars": bars, "reference": "R1", "to": odd,
                "patient": { "name": odd, "line": odd, "reach": odd }, "question": odd, "enclosed": some, "signed": odd,
                "answer-to": odd, "pays": [{ "label": "Paid by", "words": odd }], "items": [{ "name": odd, "detail": odd, "under": [{ "code": "I10", "title": odd }],
                "answers": some }] })
        };
        let labels = json!({ "patient": odd.repeat(4), "born": odd, "record": "IH-10001", "reference": "R1", "day": odd,
            "bars": bars("R1").unwrap(), "labels": [{ "specimen": odd, "tests": odd.repeat(9) }] });
        for (sheet, data) in [
            (Sheet::Order, order(json!([]), json!([]))),
            (Sheet::Order, order(json!([said]), json!(bars("R0019C5").unwrap()))),
            (Sheet::Labels, labels),
            (Sheet::Note, note("", json!([]))),
            (Sheet::Note, note(odd, json!([said, said]))),
            (Sheet::Chart, chart(json!([]))),
            (Sheet::Chart, chart(json!([said]))),
            (Sheet::DayLists, json!({ "head": head, "days": [day], "contact": true })),
            (Sheet::DayLists, json!({ "head": head, "days": [], "contact": false })),
            (Sheet::Slip, json!({ "head": head, "name": odd, "visits": [visit], "large": false })),
            (Sheet::Slip, json!({ "head": head, "name": odd, "visits": [], "large": true })),
            (Sheet::Letters, json!({ "head": head, "letters": [letter] })),
            (Sheet::Calls, json!({ "head": head, "calls": [call] })),
            (Sheet::Receipt, receipt),
            (Sheet::Estimate, estimate(json!([]))),
            (Sheet::Estimate, estimate(json!([estimated, estimated]))),
            (Sheet::Appeal, appeal(json!([]))),
            (Sheet::Appeal, appeal(json!([{ "amount": "195.00", "words": odd }]))),
            (Sheet::ClaimForm, claim_form(json!([]))),
            (Sheet::ClaimForm, claim_form(json!([[claim_line], [claim_line]]))),
            (Sheet::SignedForm, form(json!([[[1, 1], [90, 90]], [[5, 5]]]))),
            (Sheet::SignedForm, form(json!([]))),
        ] {
            let pdf = set(&typeface, sheet, &data).unwrap();
            assert!(pdf.starts_with(b"%PDF-"), "{sheet:?}");
            assert_eq!(pdf, set(&typeface, sheet, &data).unwrap(), "the same data, the same paper");
        }
    }
}
