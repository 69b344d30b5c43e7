drop table address_checks;
