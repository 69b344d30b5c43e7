alter table visit_billing
    add column referral text not null default '',
    add column referring_last text not null default '',
    add column referring_first text not null default '',
    add column referring_npi text not null default '';
update visit_billing b
set referral = r.number, referring_last = r.from_last, referring_first = r.from_first, referring_npi = r.from_npi
from referrals r where r.id = b.referral_id;
alter table visit_billing drop column referral_id;
alter table payers drop column needs_referral;
drop table referrals;
