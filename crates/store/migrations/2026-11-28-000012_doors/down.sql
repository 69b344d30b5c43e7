drop table restrictions, look_marks, password_links, devices;
alter table sign_in_attempts drop column machine, drop column device;
alter table sessions drop column id, drop column locked_at, drop column machine, drop column agent;
alter table staff drop column totp_secret, drop column totp_step, drop column recovery_codes, drop column site_ids;
alter table clinic drop column lock_minutes, drop column second_factor_roles;
