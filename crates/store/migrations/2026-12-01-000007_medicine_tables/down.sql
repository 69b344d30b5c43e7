drop table medicine_tables;
