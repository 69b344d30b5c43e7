//! The tables as Diesel sees them; kept equal to the migrations by a test of the server (`tests/clinic/schema.rs`).

diesel::table! {
    accidents (id) {
        id -> Uuid,
        person_id -> Uuid,
        happened_on -> Date,
        cause -> Text,
        state -> Text,
        number -> Text,
        employer -> Text,
        employer_line -> Text,
        employer_city -> Text,
        employer_state -> Text,
        employer_postal_code -> Text,
        told_at -> Timestamptz,
        told_by -> Text,
    }
}

diesel::table! {
    addenda (id) {
        id -> Uuid,
        visit_id -> Uuid,
        body -> Text,
        added_at -> Timestamptz,
        added_by -> Text,
    }
}

diesel::table! {
    allergies (id) {
        id -> Uuid,
        person_id -> Uuid,
        substance -> Text,
        reaction -> Text,
        severity -> Nullable<Text>,
        ended_at -> Nullable<Timestamptz>,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
        kind -> Text,
        since -> Text,
        source -> Text,
        end_reason -> Text,
    }
}

diesel::table! {
    audit (seq) {
        seq -> BigInt,
        at -> Timestamptz,
        staff_id -> Nullable<Uuid>,
        staff_name -> Text,
        action -> Text,
        entity -> Text,
        entity_id -> Nullable<Uuid>,
        person_id -> Nullable<Uuid>,
        detail -> Text,
        previous -> Text,
        hash -> Text,
    }
}

diesel::table! {
    batches (id) {
        id -> Uuid,
        control -> BigInt,
        document_id -> Uuid,
        state -> Text,
        claims -> Integer,
        total_cents -> BigInt,
        made_at -> Timestamptz,
        made_by -> Text,
        answer -> Text,
    }
}

diesel::table! {
    benefit_checks (id) {
        id -> Uuid,
        coverage_id -> Uuid,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        service_date -> Date,
        trace -> Text,
        state -> Text,
        facts -> Array<Text>,
        asked_at -> Timestamptz,
        asked_by -> Text,
        answered_at -> Nullable<Timestamptz>,
        answer -> Nullable<Jsonb>,
        failure -> Nullable<Text>,
        sent -> Jsonb,
    }
}

diesel::table! {
    charge_lines (id) {
        id -> Uuid,
        visit_id -> Uuid,
        number -> Integer,
        service_code -> Text,
        modifiers -> Array<Text>,
        units -> Integer,
        pointers -> Array<Integer>,
        price_cents -> Nullable<BigInt>,
        reason -> Text,
        by_itself -> Bool,
        own_price_cents -> Nullable<BigInt>,
        own_price_reason -> Text,
        schedule -> Nullable<Text>,
    }
}

diesel::table! {
    charge_corrections (id) {
        id -> Uuid,
        visit_id -> Uuid,
        number -> Integer,
        reason -> Text,
        begun_at -> Timestamptz,
        begun_by -> Text,
        before -> Jsonb,
        outcome -> Nullable<Text>,
        ended_at -> Nullable<Timestamptz>,
        ended_by -> Nullable<Text>,
    }
}

diesel::table! {
    claim_events (id) {
        id -> BigInt,
        claim_id -> Uuid,
        at -> Timestamptz,
        state -> Text,
        sentence -> Text,
    }
}

diesel::table! {
    charges_taken_off (visit_id, service_code) {
        visit_id -> Uuid,
        service_code -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    claims (id) {
        id -> Uuid,
        number -> Text,
        visit_id -> Uuid,
        coverage_id -> Uuid,
        payer_id -> Uuid,
        state -> Text,
        frequency -> Text,
        original_reference -> Nullable<Text>,
        payer_claim_number -> Text,
        total_cents -> BigInt,
        batch_id -> Nullable<Uuid>,
        reasons -> Array<Text>,
        made_at -> Timestamptz,
        replaces_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    clinic (id) {
        id -> SmallInt,
        name -> Text,
        zone -> Text,
        npi -> Text,
        tax_id -> Text,
        taxonomy -> Text,
        address_line -> Text,
        city -> Text,
        state -> Text,
        postal_code -> Text,
        telephone -> Text,
        submitter_id -> Text,
        clearing_house -> Text,
        clearing_house_id -> Text,
        production -> Bool,
        required_fields -> Array<Text>,
        cancel_reasons -> Array<Text>,
        reason_required -> Bool,
        supply_days -> Integer,
        wait_long -> Integer,
        wait_too_long -> Integer,
        late_after -> Integer,
        did_not_come_after -> Integer,
        lock_minutes -> Integer,
        second_factor_roles -> Array<Text>,
        critical_after -> Integer,
        usual_days -> Jsonb,
    }
}

diesel::table! {
    benefit_runs (day) {
        day -> Date,
        begun_at -> Timestamptz,
        asked -> Integer,
    }
}

diesel::table! {
    chart_openings (id) {
        id -> Uuid,
        person_id -> Uuid,
        staff_id -> Uuid,
        staff_name -> Text,
        reason -> Text,
        at -> Timestamptz,
    }
}

diesel::table! {
    consents (id) {
        id -> Uuid,
        person_id -> Uuid,
        kind -> Text,
        given -> Bool,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
    }
}

diesel::table! {
    coverages (id) {
        id -> Uuid,
        person_id -> Uuid,
        rank -> Text,
        payer_id -> Uuid,
        plan_name -> Text,
        subscriber_number -> Text,
        group_number -> Text,
        relationship -> Text,
        holder_id -> Nullable<Uuid>,
        starts_on -> Date,
        ends_on -> Nullable<Date>,
        copay_cents -> Nullable<BigInt>,
        version -> Integer,
    }
}

diesel::table! {
    coverage_cards (id) {
        id -> Uuid,
        coverage_id -> Uuid,
        side -> Text,
        media_type -> Text,
        content -> Binary,
        digest -> Text,
        added_at -> Timestamptz,
        added_by -> Text,
    }
}

diesel::table! {
    documents (id) {
        id -> Uuid,
        kind -> Text,
        direction -> Text,
        sha256 -> Text,
        content -> Binary,
        at -> Timestamptz,
    }
}

diesel::table! {
    jobs (id) {
        id -> BigInt,
        kind -> Text,
        subject -> Uuid,
        state -> Text,
        attempts -> Integer,
        due_at -> Timestamptz,
        last_error -> Text,
        made_at -> Timestamptz,
    }
}

diesel::table! {
    lab_reports (id) {
        id -> Uuid,
        number -> Text,
        order_id -> Nullable<Uuid>,
        person_id -> Nullable<Uuid>,
        record_number -> Text,
        status -> Text,
        issued_at -> Timestamptz,
        received_at -> Timestamptz,
        digest -> Text,
        replaces -> Nullable<Uuid>,
        replaced -> Bool,
        reviewed_at -> Nullable<Timestamptz>,
        reviewed_by -> Nullable<Text>,
        review_comment -> Text,
        name -> Text,
        performer -> Text,
        conclusion -> Text,
        subject -> Jsonb,
        urgency -> Text,
        reviewer_id -> Nullable<Uuid>,
        reviewed_by_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    result_values (report_id, position) {
        report_id -> Uuid,
        position -> Integer,
        test_key -> Text,
        loinc -> Text,
        own_code -> Text,
        name -> Text,
        comparator -> Nullable<Text>,
        number -> Nullable<Double>,
        words -> Text,
        missing -> Bool,
        unit -> Text,
        low -> Nullable<Double>,
        high -> Nullable<Double>,
        critical_low -> Nullable<Double>,
        critical_high -> Nullable<Double>,
        range -> Text,
        flag -> Nullable<Text>,
        flagged_by -> Nullable<Text>,
        method -> Text,
        note -> Text,
    }
}

diesel::table! {
    report_files (report_id, position) {
        report_id -> Uuid,
        position -> Integer,
        title -> Text,
        media_type -> Text,
        content -> Binary,
    }
}

diesel::table! {
    result_looks (report_id, staff_id) {
        report_id -> Uuid,
        staff_id -> Uuid,
        looked_at -> Timestamptz,
    }
}

diesel::table! {
    result_questions (id) {
        id -> Uuid,
        report_id -> Uuid,
        from_id -> Uuid,
        to_id -> Uuid,
        question -> Text,
        asked_at -> Timestamptz,
    }
}

diesel::table! {
    result_risings (id) {
        id -> Uuid,
        report_id -> Uuid,
        from_id -> Nullable<Uuid>,
        to_id -> Uuid,
        risen_at -> Timestamptz,
    }
}

diesel::table! {
    result_filings (id) {
        id -> Uuid,
        report_id -> Uuid,
        person_id -> Uuid,
        order_id -> Nullable<Uuid>,
        filed -> Bool,
        reason -> Text,
        done_by -> Text,
        done_at -> Timestamptz,
    }
}

diesel::table! {
    ledger_entries (id) {
        id -> BigInt,
        transaction_id -> Uuid,
        account -> Text,
        cents -> BigInt,
        line -> Nullable<Integer>,
        memo -> Text,
        payer_id -> Nullable<Uuid>,
        guarantor_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    ledger_transactions (id) {
        id -> Uuid,
        kind -> Text,
        visit_id -> Nullable<Uuid>,
        person_id -> Nullable<Uuid>,
        claim_id -> Nullable<Uuid>,
        remittance_id -> Nullable<Uuid>,
        idempotency_key -> Text,
        posted_at -> Timestamptz,
        posted_by -> Text,
        memo -> Text,
        payment_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    payments (id) {
        id -> Uuid,
        kind -> Text,
        of_payment -> Nullable<Uuid>,
        person_id -> Uuid,
        site_id -> Uuid,
        till_id -> Uuid,
        cents -> BigInt,
        at -> Timestamptz,
        by -> Text,
        reason -> Text,
        idempotency_key -> Text,
        card_of -> Nullable<Uuid>,
        number -> BigInt,
    }
}

diesel::table! {
    payment_means (id) {
        id -> BigInt,
        payment_id -> Uuid,
        method -> Text,
        cents -> BigInt,
        reference -> Text,
    }
}

diesel::table! {
    stray_answers (id) {
        id -> Uuid,
        document_id -> Uuid,
        kind -> Text,
        sentence -> Text,
        at -> Timestamptz,
        seen_at -> Nullable<Timestamptz>,
        seen_by -> Text,
    }
}

diesel::table! {
    tills (id) {
        id -> Uuid,
        site_id -> Uuid,
        began_at -> Timestamptz,
        opening_cents -> BigInt,
        opened_at -> Nullable<Timestamptz>,
        opened_by -> Nullable<Text>,
        closed_at -> Nullable<Timestamptz>,
        closed_by -> Nullable<Text>,
        expected -> Nullable<Jsonb>,
        counted -> Nullable<Jsonb>,
        stays_cents -> Nullable<BigInt>,
        reason -> Text,
    }
}

diesel::table! {
    card_requests (key) {
        key -> Uuid,
        person_id -> Uuid,
        cents -> BigInt,
        payment -> Jsonb,
        asked_at -> Timestamptz,
        asked_by -> Text,
        staff_id -> Nullable<Uuid>,
        state -> Text,
        word -> Text,
    }
}

diesel::table! {
    measurements (id) {
        id -> Uuid,
        visit_id -> Uuid,
        person_id -> Uuid,
        measure -> Text,
        tenths -> Integer,
        standing -> Text,
        typed -> Text,
        taken_at -> Timestamptz,
        taken_by -> Text,
        struck_at -> Nullable<Timestamptz>,
        manner -> Text,
    }
}

diesel::table! {
    medicines (id) {
        id -> Uuid,
        person_id -> Uuid,
        name -> Text,
        product_code -> Nullable<Text>,
        state -> Text,
        note -> Text,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
        how -> Text,
        since -> Text,
        struck_at -> Nullable<Timestamptz>,
        until -> Text,
        source -> Text,
        reason -> Text,
        prescription_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    histories (id) {
        id -> Uuid,
        entry_id -> Uuid,
        version -> Integer,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        kind -> Text,
        detail -> Jsonb,
        ended -> Nullable<Text>,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
    }
}

diesel::table! {
    text_templates (id) {
        id -> Uuid,
        entry_id -> Uuid,
        version -> Integer,
        owner_id -> Nullable<Uuid>,
        title -> Text,
        complaints -> Text,
        texts -> Jsonb,
        ended -> Bool,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
    }
}

diesel::table! {
    questionnaires (entry, version) {
        entry -> Text,
        version -> Integer,
        title -> Text,
        body -> Text,
        ended -> Bool,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
    }
}

diesel::table! {
    questionnaire_responses (id) {
        id -> Uuid,
        visit_id -> Uuid,
        entry -> Text,
        entry_version -> Integer,
        answers -> Jsonb,
        version -> Integer,
        answered_at -> Timestamptz,
        answered_by -> Text,
        struck_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    none_known (person_id, list) {
        person_id -> Uuid,
        list -> Text,
        stated_at -> Timestamptz,
        stated_by -> Text,
    }
}

diesel::table! {
    use crate::words::Tsvector;
    use diesel::sql_types::*;

    note_parts (id) {
        visit_id -> Uuid,
        part -> Text,
        body -> Text,
        version -> Integer,
        updated_at -> Timestamptz,
        updated_by -> Text,
        id -> Uuid,
        run_id -> Nullable<Uuid>,
        carried_from -> Nullable<Uuid>,
        carried -> Bool,
        reviewed_at -> Nullable<Timestamptz>,
        reviewed_by -> Nullable<Text>,
        written_by_id -> Nullable<Uuid>,
        reviewed_by_id -> Nullable<Uuid>,
        searched -> Nullable<Tsvector>,
    }
}

diesel::table! {
    draft_keys (staff_id) {
        staff_id -> Uuid,
        key -> Text,
    }
}

diesel::table! {
    list_versions (id) {
        id -> Uuid,
        list -> Text,
        entry_id -> Uuid,
        said -> Jsonb,
    }
}

diesel::table! {
    note_heads (visit_id) {
        visit_id -> Uuid,
        supervising_id -> Nullable<Uuid>,
        minutes -> Nullable<Integer>,
        updated_at -> Timestamptz,
        updated_by -> Text,
    }
}

diesel::table! {
    note_cosignatures (visit_id) {
        visit_id -> Uuid,
        signed_at -> Timestamptz,
        signed_by -> Text,
        signer_id -> Uuid,
        digest -> Text,
    }
}

diesel::table! {
    struck_notes (visit_id) {
        visit_id -> Uuid,
        struck_at -> Timestamptz,
        struck_by -> Text,
        reason -> Text,
    }
}

diesel::table! {
    note_runs (id) {
        visit_id -> Uuid,
        code -> Nullable<Text>,
        title -> Text,
        position -> Integer,
        id -> Uuid,
    }
}

diesel::table! {
    list_reviews (person_id, list) {
        person_id -> Uuid,
        list -> Text,
        visit_id -> Nullable<Uuid>,
        reviewed_at -> Timestamptz,
        reviewed_by -> Text,
        reviewed_by_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    note_signatures (visit_id) {
        visit_id -> Uuid,
        signed_at -> Timestamptz,
        signed_by -> Text,
        digest -> Text,
        facts -> Text,
    }
}

diesel::table! {
    part_signatures (part_id) {
        part_id -> Uuid,
        visit_id -> Uuid,
        signed_at -> Timestamptz,
        signed_by -> Text,
        digest -> Text,
    }
}

diesel::table! {
    order_diagnoses (order_id, code) {
        order_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        code -> Text,
        title -> Text,
    }
}

diesel::table! {
    orders (id) {
        id -> Uuid,
        visit_id -> Nullable<Uuid>,
        person_id -> Uuid,
        test_code -> Text,
        test_name -> Text,
        loinc -> Text,
        specimen -> Text,
        state -> Text,
        answers -> Jsonb,
        placement_reason -> Text,
        requisition -> Nullable<Text>,
        ordered_at -> Timestamptz,
        ordered_by -> Text,
        orderer_id -> Uuid,
        sent_at -> Nullable<Timestamptz>,
        sent_document_id -> Nullable<Uuid>,
        state_reason -> Text,
        kind -> Text,
        priority -> Text,
        request -> Jsonb,
        prepared_by -> Text,
        taken_over_from -> Text,
        signed_at -> Nullable<Timestamptz>,
        done_at -> Nullable<Timestamptz>,
        done_by -> Text,
        bill_to -> Nullable<Text>,
        coverage_id -> Nullable<Uuid>,
        taken_where -> Text,
        taken_at -> Nullable<Timestamptz>,
        taken_by -> Text,
    }
}

diesel::table! {
    order_sets (id) {
        id -> Uuid,
        owner_id -> Nullable<Uuid>,
        name -> Text,
        items -> Array<Text>,
    }
}

diesel::table! {
    person_states (id) {
        id -> Uuid,
        person_id -> Uuid,
        state -> Text,
        holds -> Bool,
        due -> Nullable<Date>,
        said_on -> Date,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
    }
}

diesel::table! {
    order_repeats (id) {
        id -> Uuid,
        person_id -> Uuid,
        orderer_id -> Uuid,
        test_code -> Text,
        test_name -> Text,
        under -> Array<Text>,
        months -> Integer,
        until -> Date,
        due -> Nullable<Date>,
        begun_at -> Timestamptz,
        begun_by -> Text,
        ended_why -> Text,
    }
}

diesel::table! {
    stand_ins (staff_id) {
        staff_id -> Uuid,
        deputy_id -> Nullable<Uuid>,
        from_day -> Date,
        to_day -> Date,
        set_by -> Text,
    }
}

diesel::table! {
    payers (id) {
        id -> Uuid,
        name -> Text,
        payer_code -> Text,
        filing_code -> Text,
        employment -> Bool,
        telephone -> Text,
        address -> Text,
        filing_days -> Nullable<Integer>,
        correction_days -> Nullable<Integer>,
        appeal_days -> Nullable<Integer>,
        needs_referral -> Bool,
    }
}

diesel::table! {
    kept_from_plan (visit_id) {
        visit_id -> Uuid,
        asked_at -> Timestamptz,
        asked_by -> Text,
    }
}

diesel::table! {
    written_estimates (id) {
        id -> Uuid,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        day -> Nullable<Date>,
        reason -> Text,
        lines -> Jsonb,
        total_cents -> BigInt,
        made_at -> Timestamptz,
        made_by -> Text,
        paper -> Binary,
    }
}

diesel::table! {
    referrals (id) {
        id -> Uuid,
        person_id -> Uuid,
        payer_id -> Nullable<Uuid>,
        from_last -> Text,
        from_first -> Text,
        from_npi -> Text,
        question -> Text,
        number -> Text,
        valid_from -> Date,
        valid_until -> Nullable<Date>,
        visits -> Nullable<Integer>,
        told_at -> Timestamptz,
        told_by -> Text,
        ended_at -> Nullable<Timestamptz>,
        ended_by -> Text,
    }
}

diesel::table! {
    imports (id) {
        id -> Uuid,
        kind -> Text,
        file_name -> Text,
        started_at -> Timestamptz,
        by -> Text,
        lines -> Integer,
        done -> Integer,
        added -> Integer,
        ended_at -> Nullable<Timestamptz>,
        undone_at -> Nullable<Timestamptz>,
        undone_by -> Nullable<Text>,
        stayed -> Integer,
    }
}

diesel::table! {
    import_items (import_id, kind, item_id) {
        import_id -> Uuid,
        kind -> Text,
        item_id -> Uuid,
    }
}

diesel::table! {
    merges (id) {
        id -> Uuid,
        kept_id -> Uuid,
        gone_id -> Uuid,
        moved -> Jsonb,
        stayed -> Jsonb,
        merged_at -> Timestamptz,
        merged_by -> Text,
        undone_at -> Nullable<Timestamptz>,
        undone_by -> Nullable<Text>,
        filled -> Jsonb,
    }
}

diesel::table! {
    registrations (person_id) {
        person_id -> Uuid,
        gender_identity -> Text,
        pronouns -> Text,
        marital_status -> Nullable<Text>,
        interpreter -> Bool,
        race -> Nullable<Text>,
        ethnicity -> Nullable<Text>,
        occupation -> Text,
        employer -> Text,
        outside_id -> Text,
        emergency_name -> Text,
        emergency_phone -> Nullable<Text>,
        emergency_relation -> Text,
        pharmacy_id -> Nullable<Uuid>,
        usual_site_id -> Nullable<Uuid>,
        outside_clinician -> Text,
        referred_by -> Text,
        heard_from -> Text,
        restricted -> Bool,
    }
}

diesel::table! {
    relations (person_id, other_id) {
        person_id -> Uuid,
        other_id -> Uuid,
        kind -> Text,
    }
}

diesel::table! {
    name_words (word) {
        word -> Text,
        sounds -> Nullable<Array<Text>>,
    }
}

diesel::table! {
    people (id) {
        id -> Uuid,
        record_number -> Text,
        first_name -> Text,
        last_name -> Text,
        middle_name -> Text,
        preferred_name -> Text,
        former_name -> Text,
        birth_date -> Nullable<Date>,
        sex -> Nullable<Text>,
        phone -> Nullable<Text>,
        other_phone -> Nullable<Text>,
        email -> Nullable<Text>,
        email_declined -> Bool,
        address_line -> Text,
        address_line2 -> Text,
        city -> Text,
        state -> Text,
        postal_code -> Text,
        language -> Text,
        responsible_id -> Nullable<Uuid>,
        usual_clinician_id -> Nullable<Uuid>,
        chart_alert -> Text,
        billing_note -> Text,
        deceased_on -> Nullable<Date>,
        folded -> Text,
        find_words -> Array<Text>,
        patient -> Bool,
        merged_into -> Nullable<Uuid>,
        version -> Integer,
        created_at -> Timestamptz,
    }
}

diesel::table! {
    pharmacies (id) {
        id -> Uuid,
        name -> Text,
        telephone -> Text,
    }
}

diesel::table! {
    prescription_heads (id) {
        id -> Uuid,
        person_id -> Uuid,
        prescriber_id -> Uuid,
        prescriber_name -> Text,
        npi -> Text,
        dea -> Text,
        signed_at -> Timestamptz,
    }
}

diesel::table! {
    prescription_ends (prescription_id) {
        prescription_id -> Uuid,
        refused -> Bool,
        ended_at -> Timestamptz,
        ended_by -> Text,
        reason -> Text,
    }
}

diesel::table! {
    dispenses (id) {
        id -> Uuid,
        prescription_id -> Uuid,
        reference -> Text,
        dispensed_on -> Date,
        quantity -> Double,
        days -> Nullable<Integer>,
        in_part -> Bool,
        document_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    medicine_tables (id) {
        id -> Uuid,
        counts_from -> Date,
        imported_at -> Timestamptz,
        imported_by -> Text,
        files -> Jsonb,
    }
}

diesel::table! {
    approvals (id) {
        id -> Uuid,
        prescription_id -> Uuid,
        person_id -> Uuid,
        coverage_id -> Uuid,
        payer_id -> Uuid,
        product_code -> Text,
        state -> Text,
        covered_use -> Text,
        reason -> Text,
        answers -> Jsonb,
        asked_at -> Timestamptz,
        asked_by -> Text,
        sent_document_id -> Nullable<Uuid>,
        number -> Text,
        until -> Nullable<Date>,
        refusal -> Text,
        decided_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    renewal_requests (id) {
        id -> Uuid,
        prescription_id -> Uuid,
        reference -> Text,
        asked_at -> Timestamptz,
        note -> Text,
        document_id -> Nullable<Uuid>,
        answer -> Nullable<Text>,
        answered_at -> Nullable<Timestamptz>,
        answered_by -> Text,
        reason -> Text,
        new_id -> Nullable<Uuid>,
        told_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    prescriptions (id) {
        id -> Uuid,
        visit_id -> Nullable<Uuid>,
        person_id -> Uuid,
        product_code -> Text,
        medicine -> Text,
        dose -> Double,
        per_day -> Double,
        days -> Integer,
        quantity -> Integer,
        refills -> Integer,
        instructions -> Text,
        diagnosis -> Nullable<Text>,
        pharmacy_id -> Nullable<Uuid>,
        state -> Text,
        warnings -> Jsonb,
        prescribed_at -> Timestamptz,
        prescribed_by -> Text,
        prescriber_id -> Uuid,
        sent_at -> Nullable<Timestamptz>,
        sent_document_id -> Nullable<Uuid>,
        head_id -> Nullable<Uuid>,
        dosage -> Text,
        unit -> Text,
        substitution -> Bool,
        note -> Text,
        overrides -> Jsonb,
        replaces_id -> Nullable<Uuid>,
        renews_id -> Nullable<Uuid>,
        route -> Text,
    }
}

diesel::table! {
    prices (id) {
        id -> Uuid,
        service_code -> Text,
        schedule -> Text,
        cents -> BigInt,
        starts_on -> Date,
        ends_on -> Nullable<Date>,
        change_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    price_changes (id) {
        id -> Uuid,
        what -> Text,
        at -> Timestamptz,
        by -> Text,
        before -> Jsonb,
        taken_back_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    fee_schedules (code) {
        code -> Text,
        name -> Text,
        holds_for -> Text,
        payer_id -> Nullable<Uuid>,
        plan -> Text,
        falls_back -> Nullable<Text>,
    }
}

diesel::table! {
    problems (id) {
        id -> Uuid,
        person_id -> Uuid,
        code -> Text,
        title -> Text,
        state -> Text,
        recorded_at -> Timestamptz,
        recorded_by -> Text,
        since -> Text,
        visit_id -> Nullable<Uuid>,
        struck_at -> Nullable<Timestamptz>,
        weight -> Nullable<Text>,
        end_reason -> Text,
        twin -> Bool,
    }
}

diesel::table! {
    remittances (id) {
        id -> Uuid,
        payer_name -> Text,
        payer_code -> Text,
        trace -> Text,
        method -> Text,
        amount_cents -> BigInt,
        paid_on -> Date,
        document_id -> Uuid,
        outside_claims -> Jsonb,
        posted_at -> Timestamptz,
        posted_by -> Text,
        part -> Integer,
    }
}

diesel::table! {
    remitted_claims (id) {
        id -> Uuid,
        remittance_id -> Uuid,
        claim_number -> Text,
        claim_id -> Nullable<Uuid>,
        patient_name -> Text,
        subscriber_number -> Text,
        status -> Text,
        charged_cents -> BigInt,
        paid_cents -> BigInt,
        share_cents -> BigInt,
        explanation -> Array<Text>,
        transaction_id -> Nullable<Uuid>,
        decision -> Nullable<Jsonb>,
        matched_at -> Nullable<Timestamptz>,
        matched_by -> Nullable<Text>,
    }
}

diesel::table! {
    denials (id) {
        id -> Uuid,
        remitted_claim_id -> Uuid,
        claim_id -> Uuid,
        visit_id -> Uuid,
        payer_id -> Uuid,
        cents -> BigInt,
        amounts -> Jsonb,
        state -> Text,
        raised_at -> Timestamptz,
        correct_by -> Nullable<Date>,
        appeal_by -> Nullable<Date>,
        due_on -> Nullable<Date>,
        owner_id -> Nullable<Uuid>,
        won_cents -> BigInt,
        wanted_by -> Nullable<Uuid>,
        wanted_reason -> Nullable<Text>,
        ended_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    denial_events (id) {
        id -> BigInt,
        denial_id -> Uuid,
        at -> Timestamptz,
        by -> Text,
        state -> Text,
        sentence -> Text,
        document_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    merged_people (record) {
        record -> Uuid,
        person -> Uuid,
    }
}

diesel::table! {
    open_debts (id) {
        id -> BigInt,
        account -> Text,
        visit_id -> Nullable<Uuid>,
        person_id -> Nullable<Uuid>,
        payer_id -> Nullable<Uuid>,
        guarantor_id -> Nullable<Uuid>,
        cents -> BigInt,
        since -> Timestamptz,
        last_at -> Timestamptz,
    }
}

diesel::table! {
    standing_debts (id) {
        id -> BigInt,
        account -> Text,
        visit_id -> Uuid,
        person_id -> Uuid,
        payer_id -> Uuid,
        guarantor_record -> Uuid,
        guarantor_id -> Uuid,
        clinician_id -> Uuid,
        site_id -> Uuid,
        service_day -> Date,
        owed_day -> Date,
        last_day -> Date,
        cents -> BigInt,
    }
}

diesel::table! {
    closed_months (month) {
        month -> Date,
        closed_at -> Timestamptz,
        closed_by -> Text,
        sums -> Jsonb,
    }
}

diesel::table! {
    money_rules (id) {
        id -> SmallInt,
        age_bounds -> Array<Integer>,
        statement_days -> Integer,
        statement_least_cents -> BigInt,
        small_balance_cents -> BigInt,
        bad_debt_statements -> Integer,
        bad_debt_days -> Integer,
        how_to_pay -> Text,
    }
}

diesel::table! {
    hardships (id) {
        id -> Uuid,
        person_id -> Uuid,
        percent -> Integer,
        from_day -> Date,
        to_day -> Date,
        shown -> Text,
        at -> Timestamptz,
        by -> Text,
        ended_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    reductions (id) {
        id -> Uuid,
        visit_id -> Uuid,
        kind -> Text,
        cents -> BigInt,
        reason -> Text,
        state -> Text,
        asked_at -> Timestamptz,
        asked_by -> Uuid,
        settled_at -> Nullable<Timestamptz>,
        settled_by -> Nullable<Uuid>,
        back_at -> Nullable<Timestamptz>,
        back_by -> Nullable<Uuid>,
        back_reason -> Nullable<Text>,
    }
}

diesel::table! {
    statement_wishes (id) {
        id -> Uuid,
        person_id -> Uuid,
        held_because -> Text,
        large_type -> Bool,
        by_email -> Bool,
        other_address -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    confidential_visits (visit_id) {
        visit_id -> Uuid,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    statement_runs (id) {
        id -> Uuid,
        at -> Timestamptz,
        by -> Text,
        asked -> Integer,
        made -> Integer,
        passed_over -> Integer,
        ended_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    statements (id) {
        id -> Uuid,
        run_id -> Nullable<Uuid>,
        guarantor_id -> Uuid,
        to_person_id -> Uuid,
        at -> Timestamptz,
        by -> Text,
        cents -> BigInt,
        way -> Text,
        document_id -> Uuid,
        facts -> Jsonb,
        visits -> Array<Uuid>,
    }
}

diesel::table! {
    payment_plans (id) {
        id -> Uuid,
        guarantor_id -> Uuid,
        instalment_cents -> BigInt,
        every -> Text,
        first_on -> Date,
        at -> Timestamptz,
        by -> Text,
        ended_at -> Nullable<Timestamptz>,
        ended_by -> Nullable<Text>,
        ended_because -> Nullable<Text>,
    }
}

diesel::table! {
    plan_debts (plan_id, visit_id) {
        plan_id -> Uuid,
        visit_id -> Uuid,
        cents -> BigInt,
    }
}

diesel::table! {
    call_notes (id) {
        id -> Uuid,
        guarantor_id -> Uuid,
        at -> Timestamptz,
        by -> Text,
        sentence -> Text,
        promised_cents -> Nullable<BigInt>,
        promised_on -> Nullable<Date>,
        owed_cents -> BigInt,
        again_on -> Nullable<Date>,
    }
}

diesel::table! {
    deposits (id) {
        id -> Uuid,
        day -> Date,
        cents -> BigInt,
        reference -> Text,
        entered_at -> Timestamptz,
        entered_by -> Text,
    }
}

diesel::table! {
    deposit_parts (id) {
        id -> Uuid,
        deposit_id -> Uuid,
        remittance_id -> Uuid,
        cents -> BigInt,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    deposit_explanations (id) {
        id -> Uuid,
        deposit_id -> Nullable<Uuid>,
        remittance_id -> Nullable<Uuid>,
        cents -> BigInt,
        reason -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    open_deposits (id) {
        id -> Uuid,
        open_cents -> BigInt,
    }
}

diesel::table! {
    open_payments (id) {
        id -> Uuid,
        open_cents -> BigInt,
    }
}

diesel::table! {
    own_stages (id) {
        id -> Uuid,
        name -> Text,
        after_stage -> Text,
        place -> Text,
        walked -> Bool,
        sort -> Integer,
        active -> Bool,
    }
}

diesel::table! {
    rooms (id) {
        id -> Uuid,
        site_id -> Uuid,
        name -> Text,
        kind -> Text,
        sort -> Integer,
        place_x -> Integer,
        place_y -> Integer,
        active -> Bool,
    }
}

diesel::table! {
    schedule_notes (id) {
        id -> Uuid,
        clinician_id -> Uuid,
        at -> Timestamptz,
        body -> Text,
        made_at -> Timestamptz,
        made_by -> Text,
        removed_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    saved_views (id) {
        id -> Uuid,
        staff_id -> Uuid,
        place -> Text,
        name -> Text,
        asked -> Text,
    }
}

diesel::table! {
    services (code) {
        code -> Text,
        name -> Text,
        external_code -> Text,
        level -> Nullable<SmallInt>,
        service_type -> Text,
        new_patient -> Nullable<Bool>,
        procedure -> Bool,
        done -> Array<Text>,
        modifiers -> Array<Text>,
        units -> Integer,
        most_units -> Nullable<Integer>,
        place -> Text,
        diagnoses -> Array<Text>,
        needs -> Array<Text>,
        not_with -> Array<Text>,
        starts_on -> Nullable<Date>,
        ends_on -> Nullable<Date>,
    }
}

diesel::table! {
    sessions (token_hash) {
        token_hash -> Binary,
        staff_id -> Uuid,
        csrf -> Text,
        created_at -> Timestamptz,
        seen_at -> Timestamptz,
        id -> Uuid,
        locked_at -> Nullable<Timestamptz>,
        machine -> Text,
        agent -> Text,
    }
}

diesel::table! {
    devices (token_hash, staff_id) {
        token_hash -> Binary,
        staff_id -> Uuid,
        first_at -> Timestamptz,
        last_at -> Timestamptz,
    }
}

diesel::table! {
    password_links (token_hash) {
        token_hash -> Binary,
        staff_id -> Uuid,
        made_at -> Timestamptz,
        made_by -> Text,
        ends_at -> Timestamptz,
        used_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    look_marks (session_id, what, person_id) {
        session_id -> Uuid,
        what -> Text,
        person_id -> Uuid,
        at -> Timestamptz,
    }
}

diesel::table! {
    restrictions (id) {
        id -> Uuid,
        person_id -> Uuid,
        restricted -> Bool,
        reason -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    shifts (id) {
        id -> Uuid,
        clinician_id -> Uuid,
        site_id -> Uuid,
        starts_at -> Timestamptz,
        ends_at -> Timestamptz,
        cancelled_at -> Nullable<Timestamptz>,
        cancel_reason -> Nullable<Text>,
        template_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    sign_in_attempts (id) {
        id -> BigInt,
        login -> Text,
        at -> Timestamptz,
        succeeded -> Bool,
        machine -> Text,
        device -> Nullable<Binary>,
    }
}

diesel::table! {
    sites (id) {
        id -> Uuid,
        name -> Text,
        place_of_service -> Text,
        sort -> Integer,
        address_line -> Text,
        city -> Text,
        state -> Text,
        postal_code -> Text,
    }
}

diesel::table! {
    slot_events (id) {
        id -> BigInt,
        slot_id -> Uuid,
        clinician_id -> Uuid,
        starts_at -> Timestamptz,
        ends_at -> Timestamptz,
        what -> Text,
        detail -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    slots (id) {
        id -> Uuid,
        shift_id -> Uuid,
        clinician_id -> Uuid,
        visit_type_id -> Nullable<Uuid>,
        starts_at -> Timestamptz,
        ends_at -> Timestamptz,
        held_for -> Nullable<Text>,
        clinic -> Text,
        by_hand -> Bool,
        withdrawn -> Bool,
    }
}

diesel::table! {
    staff (id) {
        id -> Uuid,
        login -> Text,
        name -> Text,
        last_name -> Text,
        first_name -> Text,
        role -> Text,
        specialty -> Text,
        npi -> Nullable<Text>,
        taxonomy -> Nullable<Text>,
        password_hash -> Text,
        active -> Bool,
        sort -> Integer,
        totp_secret -> Nullable<Binary>,
        totp_step -> BigInt,
        recovery_codes -> Array<Text>,
        site_ids -> Array<Uuid>,
        dea -> Text,
    }
}

diesel::table! {
    visit_billing (visit_id) {
        visit_id -> Uuid,
        onset -> Nullable<Date>,
        last_seen -> Nullable<Date>,
        unrelated -> Array<Text>,
        said_at -> Timestamptz,
        said_by -> Text,
        referral_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    visit_diagnoses (visit_id, code) {
        visit_id -> Uuid,
        code -> Text,
        title -> Text,
        position -> Integer,
    }
}

diesel::table! {
    visit_marks (visit_id, mark) {
        visit_id -> Uuid,
        mark -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    visit_moves (id) {
        id -> BigInt,
        visit_id -> Uuid,
        from_starts_at -> Timestamptz,
        from_clinician_id -> Uuid,
        to_starts_at -> Timestamptz,
        to_clinician_id -> Uuid,
        reason -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    visit_types (id) {
        id -> Uuid,
        name -> Text,
        glyph -> Text,
        pattern -> Text,
        minutes -> Integer,
        services -> Array<Text>,
        sort -> Integer,
        release_days -> Nullable<Integer>,
        booked_by -> Array<Text>,
        online -> Bool,
        ground -> Text,
        active -> Bool,
        from_age -> Nullable<Integer>,
        to_age -> Nullable<Integer>,
    }
}

diesel::table! {
    address_checks (person_id) {
        person_id -> Uuid,
        address -> Text,
        known -> Bool,
        at -> Timestamptz,
    }
}

diesel::table! {
    self_pay_told (visit_id) {
        visit_id -> Uuid,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    visits (id) {
        id -> Uuid,
        person_id -> Uuid,
        clinician_id -> Uuid,
        site_id -> Uuid,
        visit_type_id -> Uuid,
        slot_id -> Nullable<Uuid>,
        kind -> Text,
        starts_at -> Timestamptz,
        ends_at -> Timestamptz,
        day -> Date,
        reason -> Text,
        booking_note -> Text,
        call_sign -> Text,
        stage -> Text,
        stage_at -> Timestamptz,
        room_id -> Nullable<Uuid>,
        extra -> Bool,
        self_pay -> Bool,
        coverage_id -> Nullable<Uuid>,
        accident_date -> Nullable<Date>,
        cancel_reason -> Nullable<Text>,
        left_at -> Nullable<Timestamptz>,
        version -> Integer,
        over_type_id -> Nullable<Uuid>,
        placed_at -> Timestamptz,
        cancelled_by -> Nullable<Text>,
        rebook -> Bool,
        own_stage_id -> Nullable<Uuid>,
        appointment -> Bool,
        done_at -> Nullable<Timestamptz>,
        settled -> Bool,
    }
}

diesel::table! {
    shift_templates (id) {
        id -> Uuid,
        clinician_id -> Uuid,
        site_id -> Uuid,
        weekday -> Integer,
        from_minute -> Integer,
        to_minute -> Integer,
        every_weeks -> Integer,
        begins_on -> Date,
        ends_on -> Nullable<Date>,
        version -> Integer,
    }
}

diesel::table! {
    template_runs (template_id, sort) {
        template_id -> Uuid,
        sort -> Integer,
        count -> Integer,
        minutes -> Integer,
        visit_type_id -> Nullable<Uuid>,
        held_for -> Nullable<Text>,
        clinic -> Text,
    }
}

diesel::table! {
    supply_exceptions (id) {
        id -> Uuid,
        clinician_id -> Nullable<Uuid>,
        site_id -> Nullable<Uuid>,
        from_day -> Date,
        to_day -> Date,
        reason -> Text,
        made_at -> Timestamptz,
        made_by -> Text,
        removed_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    clinician_groups (id) {
        id -> Uuid,
        name -> Text,
        owner_id -> Nullable<Uuid>,
        members -> Array<Uuid>,
    }
}

diesel::table! {
    untimed_lists (id) {
        id -> Uuid,
        name -> Text,
        kind -> Text,
        clinician_id -> Uuid,
        site_id -> Uuid,
        visit_type_id -> Uuid,
        weekdays -> Array<Integer>,
        from_minute -> Integer,
        to_minute -> Integer,
        most -> Integer,
        active -> Bool,
    }
}

diesel::table! {
    list_entries (visit_id) {
        visit_id -> Uuid,
        list_id -> Uuid,
        day -> Date,
        place -> Integer,
    }
}

diesel::table! {
    series (id) {
        id -> Uuid,
        person_id -> Uuid,
        rule -> Text,
        made_at -> Timestamptz,
        made_by -> Text,
    }
}

diesel::table! {
    series_visits (visit_id) {
        visit_id -> Uuid,
        series_id -> Uuid,
    }
}

diesel::table! {
    waiting (id) {
        id -> Uuid,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        visit_type_id -> Uuid,
        clinician_ids -> Array<Uuid>,
        site_ids -> Array<Uuid>,
        weekdays -> Array<Integer>,
        from_minute -> Integer,
        to_minute -> Integer,
        not_before -> Nullable<Date>,
        urgent -> Bool,
        note -> Text,
        made_at -> Timestamptz,
        made_by -> Text,
        closed_as -> Nullable<Text>,
        closed_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    person_limits (person_id) {
        person_id -> Uuid,
        site_ids -> Array<Uuid>,
        weekdays -> Array<Integer>,
        same_clinician -> Bool,
        note -> Text,
    }
}

diesel::table! {
    contact_confirmations (id) {
        id -> BigInt,
        person_id -> Uuid,
        phone -> Nullable<Text>,
        email -> Nullable<Text>,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    messages (id) {
        id -> Uuid,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        purpose -> Text,
        channel -> Text,
        reach -> Text,
        why -> Text,
        subject -> Text,
        body -> Text,
        state -> Text,
        fate -> Text,
        made_at -> Timestamptz,
        made_by -> Text,
        state_at -> Timestamptz,
        state_by -> Text,
    }
}

diesel::table! {
    calendar_feeds (token_hash) {
        token_hash -> Binary,
        staff_id -> Uuid,
        made_at -> Timestamptz,
        ended_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    check_in_walks (id) {
        id -> Uuid,
        visit_type_id -> Nullable<Uuid>,
        steps -> Array<Text>,
    }
}

diesel::table! {
    alert_rules (id) {
        id -> Uuid,
        sentence -> Text,
        conditions -> Jsonb,
        active -> Bool,
    }
}

diesel::table! {
    alert_acknowledgements (id) {
        id -> BigInt,
        visit_id -> Uuid,
        rule -> Text,
        sentence -> Text,
        at -> Timestamptz,
        by -> Text,
    }
}

diesel::table! {
    forms (id) {
        id -> Uuid,
        name -> Text,
        body -> Text,
        valid_months -> Nullable<Integer>,
        active -> Bool,
        sort -> Integer,
    }
}

diesel::table! {
    signed_forms (id) {
        id -> Uuid,
        form_id -> Uuid,
        person_id -> Uuid,
        visit_id -> Nullable<Uuid>,
        name -> Text,
        body -> Text,
        signer -> Text,
        kind -> Text,
        strokes -> Jsonb,
        at -> Timestamptz,
        by -> Text,
        paper -> Nullable<Binary>,
    }
}

diesel::joinable!(deposit_parts -> deposits (deposit_id));
diesel::joinable!(deposit_parts -> remittances (remittance_id));
diesel::joinable!(list_entries -> visits (visit_id));
diesel::joinable!(part_signatures -> note_parts (part_id));
diesel::joinable!(slots -> shifts (shift_id));
diesel::joinable!(claims -> visits (visit_id));

diesel::allow_tables_to_appear_in_same_query!(
    reductions,
    referrals,
    visit_billing,
    addenda,
    allergies,
    audit,
    batches,
    benefit_checks,
    charge_corrections,
    charge_lines,
    claim_events,
    claims,
    clinic,
    coverages,
    coverage_cards,
    shift_templates,
    template_runs,
    supply_exceptions,
    clinician_groups,
    untimed_lists,
    list_entries,
    series,
    series_visits,
    waiting,
    person_limits,
    contact_confirmations,
    messages,
    calendar_feeds,
    schedule_notes,
    slot_events,
    visit_moves,
    documents,
    histories,
    text_templates,
    questionnaires,
    questionnaire_responses,
    jobs,
    lab_reports,
    report_files,
    result_filings,
    result_looks,
    result_questions,
    result_risings,
    order_sets,
    order_repeats,
    person_states,
    stand_ins,
    result_values,
    ledger_entries,
    ledger_transactions,
    denials,
    denial_events,
    payments,
    payment_means,
    tills,
    card_requests,
    check_in_walks,
    alert_rules,
    alert_acknowledgements,
    forms,
    signed_forms,
    measurements,
    medicines,
    none_known,
    note_parts,
    note_runs,
    note_heads,
    note_cosignatures,
    struck_notes,
    list_reviews,
    list_versions,
    deposits,
    deposit_parts,
    deposit_explanations,
    open_deposits,
    open_payments,
    draft_keys,
    note_signatures,
    part_signatures,
    order_diagnoses,
    orders,
    own_stages,
    payers,
    name_words,
    chart_openings,
    consents,
    merges,
    registrations,
    relations,
    people,
    pharmacies,
    prescription_heads,
    dispenses,
    prescription_ends,
    approvals,
    medicine_tables,
    renewal_requests,
    prescriptions,
    fee_schedules,
    price_changes,
    prices,
    problems,
    remittances,
    remitted_claims,
    rooms,
    saved_views,
    services,
    sessions,
    devices,
    password_links,
    look_marks,
    restrictions,
    shifts,
    sign_in_attempts,
    sites,
    slots,
    staff,
    visit_diagnoses,
    visit_types,
    visit_marks,
    visits,
);
