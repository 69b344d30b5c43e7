//! What a change tells of.

use harbor_core::coded;

coded! {
    /// What something is told about; questions of the screens hang on topics and ids.
    Topic {
        Visit = "visit", "a visit";
        /// Only the words of a note: nothing but the chart shows them.
        Note = "note", "a note";
        Person = "person", "a person";
        /// Text templates and questionnaires.
        Texts = "texts", "text templates";
        Schedule = "schedule", "supply";
        Clinic = "clinic", "the clinic's settings";
        Waiting = "waiting", "who waits";
        Message = "message", "messages";
        Groups = "groups", "groups of clinicians";
        Prices = "prices", "prices";
        /// What somebody looks for again and again.
        Views = "views", "kept views";
        Claim = "claim", "a claim";
        Batch = "batch", "a batch of claims";
        Remittance = "remittance", "a remittance";
        /// What came to the bank.
        Deposit = "deposit", "a deposit";
        Denial = "denial", "a denial";
        /// What is asked of patients: reductions, plans, calls; the months of the books.
        Owed = "owed", "what is owed";
        Statement = "statement", "statements";
        Result = "result", "a result";
        Till = "till", "a till";
        Import = "import", "what came in from files";
        /// The session's own stream ends by it.
        Session = "session", "a session";
        /// Work to hand over waits; no screen shows it.
        Job = "job", "work to hand over";
        /// Something was missed: look at all again.
        Everything = "everything", "everything";
    }
}
