alter table payments drop column number;
drop sequence receipt_numbers;
