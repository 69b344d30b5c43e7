//! Who may do what: the one table. Routes name a permission; nothing else decides.

coded! {
    Role {
        FrontDesk = "front_desk", "front desk";
        Assistant = "assistant", "clinical assistant";
        Clinician = "clinician", "clinician";
        Biller = "biller", "biller";
        Manager = "manager", "manager";
    }
}

coded! {
    Permission {
        SeePeople = "see_people", "see people and their registration";
        EditPeople = "edit_people", "register people and change their details";
        EditCoverage = "edit_coverage", "change coverage and check benefits";
        SeeSchedule = "see_schedule", "see the schedule";
        Book = "book", "book and cancel visits";
        BookExtra = "book_extra", "make an extra booking";
        ChangeSlots = "change_slots", "change slots, hold time and cancel shifts";
        CheckIn = "check_in", "check patients in";
        MovePatients = "move_patients", "move patients through rooms";
        SeeChart = "see_chart", "see the chart";
        RecordVitals = "record_vitals", "record measurements, allergies and medicines";
        PrepareOrders = "prepare_orders", "prepare orders for a clinician to sign";
        WriteNote = "write_note", "write and sign notes, order and prescribe";
        WriteTexts = "write_texts", "write text templates and questionnaires";
        ReviewResults = "review_results", "review and sign results";
        SeeCharges = "see_charges", "see charges and balances";
        EditCharges = "edit_charges", "complete charges";
        SetPrices = "set_prices", "change the fee schedule";
        Claims = "claims", "make batches and post remittances";
        TakeMoney = "take_money", "take payments";
        GiveBack = "give_back", "give money back to patients";
        CloseMonths = "close_months", "close months of the books";
        SeeAudit = "see_audit", "read the record of looks";
        MergePeople = "merge_people", "merge two records of one person, and part them again";
        SetClinic = "set_clinic", "change the clinic's settings";
        RestrictCharts = "restrict_charts", "put charts under restriction, and lift it";
        ManageStaff = "manage_staff", "manage who works here, and end their sessions";
    }
}

impl Permission {
    /// Whether what it allows reads or writes in a patient's chart; a restricted chart is then opened first.
    pub const fn is_of_chart(self) -> bool {
        matches!(
            self,
            Permission::SeeChart
                | Permission::RecordVitals
                | Permission::PrepareOrders
                | Permission::WriteNote
                | Permission::ReviewResults
        )
    }
}

impl Role {
    /// Whether this role holds the permission.
    pub fn may(self, permission: Permission) -> bool {
        use Permission::*;
        use Role::*;
        let holders: &[Role] = match permission {
            SeePeople | SeeSchedule => &[FrontDesk, Assistant, Clinician, Biller, Manager],
            EditPeople => &[FrontDesk, Assistant, Manager],
            EditCoverage => &[FrontDesk, Biller, Manager],
            Book => &[FrontDesk, Assistant, Clinician, Manager],
            BookExtra => &[FrontDesk, Clinician, Manager],
            ChangeSlots => &[FrontDesk, Manager],
            CheckIn => &[FrontDesk, Assistant, Manager],
            MovePatients => &[FrontDesk, Assistant, Clinician, Manager],
            SeeChart => &[Assistant, Clinician, Biller, Manager],
            RecordVitals | PrepareOrders => &[Assistant, Clinician],
            WriteNote | ReviewResults => &[Clinician],
            WriteTexts => &[Clinician, Manager],
            SeeCharges => &[FrontDesk, Clinician, Biller, Manager],
            EditCharges => &[Clinician, Biller, Manager],
            SetPrices | Claims | GiveBack => &[Biller, Manager],
            TakeMoney => &[FrontDesk, Biller, Manager],
            CloseMonths | SeeAudit | SetClinic | ManageStaff => &[Manager],
            RestrictCharts => &[Clinician, Manager],
            MergePeople => &[FrontDesk, Manager],
        };
        holders.contains(&self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nobody_does_everything_and_every_permission_has_a_holder() {
        for role in Role::ALL {
            assert!(Permission::ALL.iter().any(|p| !role.may(*p)), "{role} may do everything");
        }
        for permission in Permission::ALL {
            assert!(Role::ALL.iter().any(|r| r.may(*permission)), "nobody may {permission}");
        }
        assert!(!Role::FrontDesk.may(Permission::SeeChart));
        assert!(!Role::Manager.may(Permission::WriteNote), "only a clinician signs");
        for permission in Permission::ALL.iter().filter(|p| p.is_of_chart()) {
            assert!(!Role::FrontDesk.may(*permission), "the desk has no chart: {permission}");
        }
    }
}
