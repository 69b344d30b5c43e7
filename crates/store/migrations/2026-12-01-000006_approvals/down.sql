drop table approvals;
